import { fromWall, toWall, type Zone } from '../model/clock'
import type { Span } from '../model/span'
import type { Strained } from '../api/client'

const HOUR_MS = 3_600_000
const DAY_MS = 24 * HOUR_MS

/** A day as it is drawn: each resource's strain by the hour. */
export interface Day {
  span: Span
  /** Of the month. */
  number: number
  /** Named where a month begins, and on the first day shown. */
  month: string | null
  /** In percent, a row a resource, a value an hour of the day; null where nothing was recorded. */
  rows: (number | null)[][]
}

const MONTH = new Intl.DateTimeFormat('en-GB', { month: 'short', timeZone: 'UTC' })

/** Weeks from Monday on, by the clock that is read by; places before the first and after the last day are null. */
export function weeksOfDays(
  strain: Strained[],
  startMs: number,
  endMs: number,
  zone: Zone,
): (Day | null)[][] {
  const hours = strain[0]?.hours.length ?? 0
  if (!hours || endMs <= startMs) return []
  const firstWall = Math.floor(toWall(startMs, zone) / DAY_MS) * DAY_MS
  const lastWall = toWall(endMs - 1, zone)
  // 1 January 1970 was a Thursday.
  const places: (Day | null)[] = Array.from({ length: (firstWall / DAY_MS + 3) % 7 }, () => null)
  for (let wall = firstWall; wall <= lastWall; wall += DAY_MS) {
    const span = { start: fromWall(wall, zone), end: fromWall(wall + DAY_MS, zone) }
    const date = new Date(wall)
    const number = date.getUTCDate()
    places.push({
      span,
      number,
      month: number === 1 || wall === firstWall ? MONTH.format(date) : null,
      rows: strain.map((row) =>
        Array.from({ length: 24 }, (_, hour) => {
          const at = Math.floor((fromWall(wall + hour * HOUR_MS, zone) - startMs) / HOUR_MS)
          return row.hours[at] ?? null
        }),
      ),
    })
  }
  while (places.length % 7) places.push(null)
  return Array.from({ length: places.length / 7 }, (_, week) => places.slice(week * 7, week * 7 + 7))
}

/** Points of hours, thinned to so many: the mean of neighbours. */
export function thinned(hours: (number | null)[], most: number): (number | null)[] {
  const together = Math.max(Math.ceil(hours.length / most), 1)
  return Array.from({ length: Math.ceil(hours.length / together) }, (_, at) => {
    const part = hours
      .slice(at * together, (at + 1) * together)
      .filter((value): value is number => value !== null)
    return part.length ? part.reduce((sum, value) => sum + value, 0) / part.length : null
  })
}
