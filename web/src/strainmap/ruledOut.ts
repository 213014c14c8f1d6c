import type { Finding, RuledOut, StrainRow } from '../api/client'
import { toMs } from '../model/instant'
import type { Span } from '../model/span'

/** Where the map is dark, and yet nothing was wrong. */
export interface Excused {
  item: RuledOut
  start: number
  end: number
}

/** Percent of strain from which a row looks as if something was wrong. */
export const LOOKS_STRAINED = 30

interface Scale {
  first: number
  length: number
}

/**
 * The stretches of a row that look strained and that the diagnosis ruled out, in ms since the epoch. Only what is dark
 * is marked: free memory may look low for days, and the map does not show it. Nor where something was found of the same
 * resource at that time: then it was strained.
 */
export function excusedOf(
  ruledOut: RuledOut[],
  findings: Finding[],
  row: StrainRow,
  scale: Scale,
): Excused[] {
  if (scale.length <= 0) return []
  const concerns = ruledOut.filter(
    (item) =>
      item.resource === row.resource &&
      (row.device === null || item.device === null || item.device === row.device),
  )
  const found = findings
    .filter((finding) => finding.resource === row.resource)
    .flatMap((finding) => (finding.occurrences.length ? finding.occurrences : [finding]))
    .map((time) => ({ start: toMs(time.start), end: toMs(time.end) }))
  const dark = found.reduce<Span[]>(without, darkStretches(row.mean ?? [], scale))
  return concerns.flatMap((item) => {
    const [start, end] = [toMs(item.start), toMs(item.end)]
    return dark
      .map((part) => ({ item, start: Math.max(part.start, start), end: Math.min(part.end, end) }))
      .filter((part) => part.end > part.start)
  })
}

/** What is left of some stretches beside another. */
const without = (spans: Span[], cut: Span): Span[] =>
  spans.flatMap((span) =>
    [
      { start: span.start, end: Math.min(span.end, cut.start) },
      { start: Math.max(span.start, cut.end), end: span.end },
    ].filter((part) => part.end > part.start),
  )

function darkStretches(mean: (number | null)[], scale: Scale): Span[] {
  const spans: Span[] = []
  mean.forEach((value, bin) => {
    if (value === null || value < LOOKS_STRAINED) return
    const start = scale.first + bin * scale.length
    const last = spans.at(-1)
    if (last?.end === start) last.end = start + scale.length
    else spans.push({ start, end: start + scale.length })
  })
  return spans
}

/** What was ruled out of a row at some time, by its title, each once. */
export function excusesIn(excused: Excused[], span: Span): string[] {
  const titles = excused
    .filter((part) => part.start < span.end && part.end > span.start)
    .map(({ item }) => item.title)
  return [...new Set(titles)]
}
