import type { Series, SeriesSet } from '../api/client'
import { scaleFor, type Scale, type Unit } from '../model/amounts'
import { unitOf } from '../model/layouts'

/** One line of a strip as a column of figures. */
export interface Column {
  key: string
  title: string
  unit: Unit
  scale: Scale
  values: (number | null)[]
  summary: Series['summary']
}

/** Ticks or bins of a window as a table: one row a time, one column a line. */
export interface Figures {
  times: number[]
  /** Length of a row's bin; null where rows are single ticks. */
  binS: number | null
  columns: Column[]
}

export interface Titles {
  /** What a measure is called, and a device of it. */
  titleOf: (measure: string) => string
  deviceOf: (measure: string, device: string) => string
}

const keyOf = ({ measure, device }: Series): string => (device === null ? measure : `${measure}@${device}`)

/**
 * All lines of a set on one column of times. Lines of different kernel files are read moments apart: a value stands in the
 * row whose time is nearest, if that is nearer than half a row's distance.
 */
export function figuresOf(set: SeriesSet, { titleOf, deviceOf }: Titles): Figures {
  const there = set.series.filter((line) => line.missing === null)
  const finest = there.reduce<number[]>((best, line) => {
    const own = set.times_ms[line.times] ?? []
    return own.length > best.length ? own : best
  }, [])
  const reach =
    finest.length > 1 ? ((finest.at(-1) ?? 0) - (finest[0] ?? 0)) / (finest.length - 1) / 2 : Infinity
  const columns = there.map((line): Column => {
    const unit = unitOf(line.measure, line.unit)
    const own = set.times_ms[line.times] ?? []
    const values = own === finest ? line.mean : nearest(finest, own, line.mean, reach)
    return {
      key: keyOf(line),
      title:
        line.device === null
          ? titleOf(line.measure)
          : `${titleOf(line.measure)}, ${deviceOf(line.measure, line.device)}`,
      unit,
      scale: scaleFor(unit, Math.max(0, ...values.map((value) => Math.abs(value ?? 0)))),
      values,
      summary: line.summary,
    }
  })
  return { times: finest, binS: there.find((line) => line.bin_s !== null)?.bin_s ?? null, columns }
}

function nearest(
  times: number[],
  own: number[],
  values: (number | null)[],
  reach: number,
): (number | null)[] {
  let at = 0
  return times.map((time) => {
    while (at + 1 < own.length && Math.abs((own[at + 1] ?? 0) - time) <= Math.abs((own[at] ?? 0) - time)) at++
    return Math.abs((own[at] ?? Infinity) - time) <= reach ? (values[at] ?? null) : null
  })
}

/** Rows in the order of a column, or of time; what is unknown comes last either way. */
export function rowOrder(figures: Figures, by: string | null, descending: boolean): number[] {
  const rows = figures.times.map((_, row) => row)
  const values = figures.columns.find((column) => column.key === by)?.values
  if (!values) return descending ? rows.reverse() : rows
  const way = descending ? -1 : 1
  return rows.sort((a, b) => {
    const [one, other] = [values[a] ?? null, values[b] ?? null]
    if (one === null || other === null) return Number(one === null) - Number(other === null) || a - b
    return way * (one - other) || a - b
  })
}

/** Those columns, in the order of their keys. */
export const chosenColumns = (figures: Figures, keys: readonly string[]): Column[] =>
  keys.flatMap((key) => figures.columns.find((column) => column.key === key) ?? [])

const headOf = (column: Column): string =>
  column.scale.unit ? `${column.title} (${column.scale.unit})` : column.title
const plain = (value: number | null, scale: Scale): string =>
  value === null ? '' : String(Number((value / scale.by).toPrecision(9)))

/** Figures as text: times in RFC 3339, full precision, the unit in the head. */
function lines(figures: Figures, columns: Column[], order: number[]): string[][] {
  return [
    ['time', ...columns.map(headOf)],
    ...order.map((row) => [
      new Date(figures.times[row] ?? 0).toISOString(),
      ...columns.map((column) => plain(column.values[row] ?? null, column.scale)),
    ]),
  ]
}

/** Tabs between, for spreadsheets to paste; what would break a row becomes a space. */
export const toTsv = (figures: Figures, columns: Column[], order: number[]): string =>
  lines(figures, columns, order)
    .map((cells) => cells.map((cell) => cell.replace(/[\t\r\n]+/g, ' ')).join('\t'))
    .join('\n')

/** RFC 4180: a name that begins as a formula does is put in front of a space, so that no spreadsheet runs it. */
export const toCsv = (figures: Figures, columns: Column[], order: number[]): string =>
  lines(figures, columns, order)
    .map((cells, row) =>
      cells
        .map((cell) => (row === 0 && /^[=+\-@]/.test(cell) ? ` ${cell}` : cell))
        .map((cell) => (/[",\r\n]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell))
        .join(','),
    )
    .map((line) => `${line}\r\n`)
    .join('')
