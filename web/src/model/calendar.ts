/** A month as a calendar shows it: weeks from Monday on, and how much of each day was recorded. */

import { fromWall, toWall, type Zone } from './clock'
import type { Span } from './span'

const DAY_MS = 86_400_000

export interface CalendarDay {
  /** Of the month, 1 to 31. */
  number: number
  span: Span
  /** Of the day, 0 to 1, how much was recorded. */
  share: number
}

/** The month that a moment lies in, by a zone's clock, moved on by some months. */
export function monthOf(ms: number, zone: Zone, further = 0): { year: number; month: number } {
  const at = new Date(toWall(ms, zone))
  const moved = new Date(Date.UTC(at.getUTCFullYear(), at.getUTCMonth() + further, 1))
  return { year: moved.getUTCFullYear(), month: moved.getUTCMonth() }
}

/** Weeks of seven places; places before the first and after the last day are null. */
export function monthDays(
  { year, month }: { year: number; month: number },
  recorded: readonly Span[],
  zone: Zone,
): (CalendarDay | null)[][] {
  const first = Date.UTC(year, month, 1)
  const count = new Date(Date.UTC(year, month + 1, 0)).getUTCDate()
  const before = (new Date(first).getUTCDay() + 6) % 7
  const places: (CalendarDay | null)[] = Array.from({ length: before }, () => null)
  for (let day = 0; day < count; day++) {
    // A day may have 23 or 25 hours.
    const span = {
      start: fromWall(first + day * DAY_MS, zone),
      end: fromWall(first + (day + 1) * DAY_MS, zone),
    }
    const known = recorded.reduce(
      (sum, { start, end }) => sum + Math.max(Math.min(end, span.end) - Math.max(start, span.start), 0),
      0,
    )
    places.push({ number: day + 1, span, share: Math.min(known / (span.end - span.start), 1) })
  }
  while (places.length % 7) places.push(null)
  return Array.from({ length: places.length / 7 }, (_, week) => places.slice(week * 7, week * 7 + 7))
}

/** What is left of a stretch without these gaps, which are in order. */
export function withoutGaps(extent: Span, gaps: readonly Span[]): Span[] {
  const out: Span[] = []
  let from = extent.start
  for (const gap of gaps) {
    if (gap.start > from) out.push({ start: from, end: Math.min(gap.start, extent.end) })
    from = Math.max(from, gap.end)
  }
  if (from < extent.end) out.push({ start: from, end: extent.end })
  return out
}
