import { digitsToShow, scaleFor, spellAmount } from '../model/amounts'
import { indexAt } from '../model/lookup'
import { contains, type Span } from '../model/span'
import type { Strip } from '../model/strips'
import type { StripData } from './chart'

const SHOWN_LINES = 3

/** Where among a strip's ticks or bins a moment is; null where it has none of it. */
export function placeOf(data: StripData, window: Span, needle: number | null): number | null {
  return needle === null || !contains(window, needle) || data.missing
    ? null
    : indexAt(data.times, needle, data.binMs)
}

export interface Reading {
  text: string
  /** Of the lines named in it. */
  values: number[]
}

/** What a strip reads at a tick or bin: what a stack adds up to, or each line's own value, the highest first. */
export function readingOf(
  { plan }: Strip,
  data: StripData,
  at: number | null,
  labelled: (label: string) => string,
  most = SHOWN_LINES,
): Reading | null {
  if (at === null) return null
  const shown = plan.stackedTo ? (data.whole ? [data.whole] : []) : data.lines
  const here = shown.flatMap((line) => {
    const value = line.values[at] ?? null
    return value === null ? [] : [{ line, value }]
  })
  if (!here.length) return null
  const ranked = shown.length > most ? [...here].sort((a, b) => b.value - a.value) : here
  // By the window's highest, so that units do not change from tick to tick.
  const highs = shown.map((line) => line.summary?.high ?? 0)
  const own = scaleFor(plan.unit, Math.max(...highs, ...here.map((item) => item.value)))
  const spelled = (value: number): string => spellAmount(value, plan.unit, digitsToShow(value, own))
  const words = ranked
    .slice(0, most)
    .map(({ line, value }) =>
      shown.length > 1 ? `${labelled(line.label)} ${spelled(value)}` : spelled(value),
    )
  if (ranked.length > most) words.push(`+${ranked.length - most}`)
  return { text: words.join(' · '), values: ranked.slice(0, most).map((item) => item.value) }
}
