import { fromWall, toWall, type Zone } from './clock'
import type { Span } from './span'

/** A time as people type it, relative to the newest tick, which is what `now` means in an archive. */

const MINUTE = 60_000
const DAY = 86_400_000
const SIZES: Record<string, number> = { s: 1_000, m: MINUTE, min: MINUTE, h: 3_600_000, d: DAY, w: 7 * DAY }
const WORDS: Record<string, number> = {
  sec: 1_000,
  seconds: 1_000,
  minute: MINUTE,
  minutes: MINUTE,
  hour: 3_600_000,
  hours: 3_600_000,
  day: DAY,
  days: DAY,
  week: 7 * DAY,
  weeks: 7 * DAY,
}
const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec']
const WEEKDAYS = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat']

interface Parts {
  year: number
  month: number
  day: number
}

/** The day that a zone's clock shows, some days earlier if wanted: days there may be of 23 or 25 hours. */
const partsOf = (ms: number, zone: Zone, daysBack = 0): Parts => {
  const at = new Date(toWall(ms, zone) - daysBack * DAY)
  return { year: at.getUTCFullYear(), month: at.getUTCMonth(), day: at.getUTCDate() }
}
const momentOf = ({ year, month, day }: Parts, clockMs: number, zone: Zone): number =>
  fromWall(Date.UTC(year, month, day) + clockMs, zone)
const weekdayOf = (ms: number, zone: Zone): number => new Date(toWall(ms, zone)).getUTCDay()

/** "14:05", "14:05:30" or "14" with "h" as milliseconds of a day; null for what is none. */
function clockOf(text: string): number | null {
  const found = /^(\d{1,2})(?::(\d{2}))?(?::(\d{2}))?$/.exec(text)
  if (!found || found[2] === undefined) return null
  const [hour, minute, second] = [Number(found[1]), Number(found[2]), Number(found[3] ?? 0)]
  return hour < 24 && minute < 60 && second < 60 ? hour * 3_600_000 + minute * MINUTE + second * 1000 : null
}

function dayOf(words: string[], newest: number, zone: Zone): Parts | null {
  const [first = '', second = '', third = ''] = words
  if (words.length === 1) {
    if (first === 'today') return partsOf(newest, zone)
    if (first === 'yesterday') return partsOf(newest, zone, 1)
    const iso = /^(\d{4})-(\d{2})-(\d{2})$/.exec(first)
    if (iso) return checked({ year: Number(iso[1]), month: Number(iso[2]) - 1, day: Number(iso[3]) })
    const weekday = WEEKDAYS.findIndex((name) => first.length >= 3 && first.startsWith(name))
    if (weekday >= 0) {
      const back = (weekdayOf(newest, zone) - weekday + 7) % 7
      return partsOf(newest, zone, back)
    }
  }
  const [dayText, monthText] = /^\d/.test(first) ? [first, second] : [second, first]
  const month = MONTHS.indexOf(monthText.slice(0, 3))
  if (month < 0 || !/^\d{1,2}\.?$/.test(dayText) || words.length > 3) return null
  const day = Number.parseInt(dayText, 10)
  if (third) return /^\d{4}$/.test(third) ? checked({ year: Number(third), month, day }) : null
  const { year } = partsOf(newest, zone)
  const soon = checked({ year, month, day })
  // A day that is still to come was meant of last year.
  return soon && momentOf(soon, 0, zone) > newest + DAY ? checked({ ...soon, year: year - 1 }) : soon
}

function checked(date: Parts): Parts | null {
  const at = new Date(Date.UTC(date.year, date.month, date.day))
  return at.getUTCMonth() === date.month && at.getUTCDate() === date.day ? date : null
}

/**
 * "14:05", "yesterday 14:05", "thu 9:30", "13 nov 06:00", "2026-11-13 06:00", RFC 3339, "-2h", "90 min ago", "now".
 * Null for what is no time. A bare clock time is of the day of `near`, where one looks; else the last one that there was.
 */
export function parseTyped(typed: string, newest: number, zone: Zone, near = newest): number | null {
  const text = typed.trim().toLowerCase()
  if (text === 'now' || text === 'end') return newest
  const ago = /^(?:-\s*(\d+(?:\.\d+)?)\s*([a-z]+)|(\d+(?:\.\d+)?)\s*([a-z]+)\s+ago)$/.exec(text)
  if (ago) {
    const size = SIZES[ago[2] ?? ago[4] ?? '']
    return size === undefined ? null : newest - Number(ago[1] ?? ago[3]) * size
  }
  if (/^\d{4}-\d{2}-\d{2}t\d{2}:\d{2}(:\d{2}(\.\d+)?)?(z|[+-]\d{2}:?\d{2})$/.test(text)) {
    const at = Date.parse(typed.trim())
    return Number.isFinite(at) ? at : null
  }
  const words = text
    .replace(/(\d)t(\d)/, '$1 $2')
    .split(/[\s,]+/)
    .filter(Boolean)
  if (!words.length) return null
  const clock = clockOf(words[words.length - 1] ?? '')
  const rest = clock === null ? words : words.slice(0, -1)
  if (clock !== null && !rest.length) {
    const at = momentOf(partsOf(near, zone), clock, zone)
    return at > newest + MINUTE ? momentOf(partsOf(near, zone, 1), clock, zone) : at
  }
  const day = dayOf(rest, newest, zone)
  return day ? momentOf(day, clock ?? 0, zone) : null
}

/**
 * A stretch as people type it: "12 Nov 10:00 – 12:00", "yesterday 9:00 to 17:30", "10:00 - 10:30", "last 15 min", and "-2h",
 * which reaches to the newest tick. Null for what is none.
 */
export function parseTypedSpan(typed: string, newest: number, zone: Zone, near = newest): Span | null {
  const text = typed.trim().toLowerCase()
  const last =
    /^(?:last|past)\s+(\d+(?:\.\d+)?)?\s*([a-z]+)$/.exec(text) ??
    /^-\s*(\d+(?:\.\d+)?)\s*([a-z]+)$/.exec(text)
  if (last) {
    const size = SIZES[last[2] ?? ''] ?? WORDS[last[2] ?? '']
    return size === undefined ? null : ordered(newest - Number(last[1] ?? 1) * size, newest)
  }
  const parts = text.split(/\s*(?:–|—|\.\.\.?|\bto\b|\buntil\b|\s-\s|(?<=\d)-(?=\d{1,2}:))\s*/)
  const [from = '', to = ''] = parts
  if (parts.length !== 2 || !from || !to) return null
  const start = parseTyped(from, newest, zone, near)
  if (start === null) return null
  const end = parseTyped(to, newest, zone, start)
  return end === null ? null : ordered(start, end)
}

const ordered = (start: number, end: number): Span | null => (start < end ? { start, end } : null)
