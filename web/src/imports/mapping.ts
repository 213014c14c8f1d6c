/** Corrections of how a table is read. */

import type { ColumnMapping, Look, LookColumn, TableMapping } from '../api/imports'
import type { Counter } from '../api/client'

export const TIME_FORMS = [
  { form: 'iso', title: '2026-11-13 01:00:00, RFC 3339' },
  { form: 'epoch-s', title: 'seconds since 1970' },
  { form: 'epoch-ms', title: 'milliseconds since 1970' },
  { form: 'epoch-us', title: 'microseconds since 1970' },
  { form: 'epoch-ns', title: 'nanoseconds since 1970' },
  { form: '%d.%m.%Y %H:%M:%S', title: '13.11.2026 01:00:00' },
  { form: '%d/%m/%Y %H:%M:%S', title: '13/11/2026 01:00:00' },
  { form: '%m/%d/%Y %H:%M:%S', title: '11/13/2026 01:00:00' },
  { form: '%m/%d/%Y %I:%M:%S %p', title: '11/13/2026 01:00:00 AM' },
]

export const DELIMITERS = [
  { value: ',', title: 'comma' },
  { value: ';', title: 'semicolon' },
  { value: '\t', title: 'tab' },
  { value: '|', title: 'bar' },
  { value: ' ', title: 'blank' },
]

/** Factors that units are usually off by. */
export const SCALES: { scale: [number, number]; title: string }[] = [
  { scale: [1, 1], title: '× 1' },
  { scale: [1, 1000], title: '÷ 1,000 (milli)' },
  { scale: [1, 1_000_000], title: '÷ 1,000,000 (micro)' },
  { scale: [1, 1_000_000_000], title: '÷ 10⁹ (nano)' },
  { scale: [1, 100], title: '÷ 100 (hundredths)' },
  { scale: [1000, 1], title: '× 1,000 (kilo)' },
  { scale: [1_000_000, 1], title: '× 1,000,000 (mega)' },
  { scale: [1_000_000_000, 1], title: '× 10⁹ (giga)' },
  { scale: [1024, 1], title: '× 1,024 (Ki)' },
  { scale: [1_048_576, 1], title: '× 1,048,576 (Mi)' },
  { scale: [1_073_741_824, 1], title: '× 1,073,741,824 (Gi)' },
  { scale: [512, 1], title: '× 512 (sectors)' },
  { scale: [4096, 1], title: '× 4,096 (pages)' },
]

export const columnAt = (mapping: TableMapping, place: number): ColumnMapping | null =>
  mapping.columns.find((column) => column.place === place) ?? null

export const isTime = (mapping: TableMapping, place: number): boolean => mapping.time.places.includes(place)

/** The same mapping with a column changed; null leaves it out, and one that was left out comes in. */
export function withColumn(
  mapping: TableMapping,
  place: number,
  change: Partial<ColumnMapping> | null,
  name = '',
): TableMapping {
  const others = mapping.columns.filter((column) => column.place !== place)
  if (change === null) return { ...mapping, columns: others }
  const before = columnAt(mapping, place) ?? fresh(place, name)
  const columns = [...others, { ...before, ...change }].sort((a, b) => a.place - b.place)
  return { ...mapping, columns }
}

const fresh = (place: number, name: string): ColumnMapping => ({
  place,
  counter: name || `column ${place + 1}`,
  attributes: {},
  unit: '1',
  kind: 'level',
  scale: [1, 1],
})

/** As the catalogue has a counter; a name of one's own stays what it is. */
export function called(counter: string, catalogue: Counter[]): Partial<ColumnMapping> {
  const known = catalogue.find((item) => item.name === counter)
  return known ? { counter, unit: known.unit, kind: known.kind } : { counter }
}

/** `core=0, mode=user` as attributes; null for what is none. */
export function readAttributes(text: string): Record<string, string> | null {
  const found: Record<string, string> = {}
  for (const part of text.split(',').filter((each) => each.trim())) {
    const at = part.indexOf('=')
    const [key, value] = [part.slice(0, at).trim(), part.slice(at + 1).trim()]
    if (at < 1 || !key || !value) return null
    found[key] = value
  }
  return found
}

export const writeAttributes = (attributes: Record<string, string>): string =>
  Object.entries(attributes)
    .map(([key, value]) => `${key}=${value}`)
    .join(', ')

export const withTime = (mapping: TableMapping, change: Partial<TableMapping['time']>): TableMapping => {
  const time = { ...mapping.time, ...change }
  return {
    ...mapping,
    time,
    columns: mapping.columns.filter((column) => !time.places.includes(column.place)),
  }
}

/** Columns that are neither the time nor read. */
export const leftOut = (look: Look, mapping: TableMapping): LookColumn[] =>
  look.columns.filter((column) => !isTime(mapping, column.place) && !columnAt(mapping, column.place))

/** A line through the numbers of a column, in a box of so many pixels; broken where nothing is known. */
export function lineThrough(values: (number | null)[], width: number, height: number): string {
  const known = values.filter((value) => value !== null)
  if (known.length < 2) return ''
  const [low, high] = [Math.min(...known), Math.max(...known)]
  const step = width / Math.max(values.length - 1, 1)
  let pen = 'M'
  const parts: string[] = []
  values.forEach((value, at) => {
    if (value === null) {
      pen = 'M'
      return
    }
    const y = high === low ? height / 2 : height - ((value - low) / (high - low)) * height
    parts.push(`${pen}${(at * step).toFixed(1)} ${y.toFixed(1)}`)
    pen = 'L'
  })
  return parts.join('')
}
