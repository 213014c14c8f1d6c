/** Times as people read them, in their own zone or in UTC. */

export type Zone = 'local' | 'UTC'

const formats = new Map<string, Intl.DateTimeFormat>()

function format(zone: Zone, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = zone + JSON.stringify(options)
  const known = formats.get(key)
  if (known) return known
  const made = new Intl.DateTimeFormat('en-GB', {
    ...options,
    hourCycle: 'h23',
    ...(zone === 'UTC' ? { timeZone: 'UTC' } : {}),
  })
  formats.set(key, made)
  return made
}

const TIME = { hour: '2-digit', minute: '2-digit', second: '2-digit' } as const
const MINUTE = { hour: '2-digit', minute: '2-digit' } as const
const DAY = { day: 'numeric', month: 'short' } as const
const DATE = { ...DAY, year: 'numeric' } as const

export const spellTime = (ms: number, zone: Zone): string => format(zone, TIME).format(ms)
export const spellMinute = (ms: number, zone: Zone): string => format(zone, MINUTE).format(ms)
const yearOf = (ms: number, zone: Zone): number =>
  zone === 'UTC' ? new Date(ms).getUTCFullYear() : new Date(ms).getFullYear()
/** "12 Nov", with the year where it is not this one. */
export const spellDay = (ms: number, zone: Zone): string =>
  format(zone, yearOf(ms, zone) === yearOf(Date.now(), zone) ? DAY : DATE).format(ms)
/** "12 Nov 09:00:00". */
export const spellInstant = (ms: number, zone: Zone): string => `${spellDay(ms, zone)} ${spellTime(ms, zone)}`
/** Whether a stretch reaches from one day into another, so that a time alone does not say which is meant. */
export const isOfSeveralDays = (start: number, end: number, zone: Zone): boolean =>
  spellDay(start, zone) !== spellDay(end, zone)

/** "12 Nov 09:00:00 – 10:00:00", with the second day only where it differs. */
export function spellWindow(start: number, end: number, zone: Zone): string {
  const [first, last] = [spellDay(start, zone), spellDay(end, zone)]
  return `${first} ${spellTime(start, zone)} – ${first === last ? '' : `${last} `}${spellTime(end, zone)}`
}

const STEPS: [number, string][] = [
  [86_400, 'd'],
  [3_600, 'h'],
  [60, 'min'],
  [1, 's'],
]

/** A duration in at most two units: "1 h 30 min". */
export function spellDuration(seconds: number): string {
  if (seconds < 1) return `${Math.round(seconds * 1000)} ms`
  const whole = Math.round(seconds)
  const at = STEPS.findIndex(([size]) => whole >= size)
  const [size, name] = STEPS[at] ?? [1, 's']
  const smaller = STEPS[at + 1]
  const rest = smaller ? Math.floor((whole % size) / smaller[0]) : 0
  return `${Math.floor(whole / size)} ${name}${smaller && rest ? ` ${rest} ${smaller[1]}` : ''}`
}

const TICK_STEPS_S = [
  0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1_800,
  3_600, 7_200, 10_800, 21_600, 43_200, 86_400, 172_800, 604_800,
]

/** Round moments for an axis of `count` labels at most, on whole steps of the zone's own clock. */
export function axisMoments(start: number, end: number, count: number, zone: Zone): number[] {
  const wanted = (end - start) / 1000 / Math.max(count, 1)
  const step = (TICK_STEPS_S.find((seconds) => seconds >= wanted) ?? 604_800) * 1000
  const shift = zone === 'UTC' ? 0 : new Date(start).getTimezoneOffset() * 60_000
  const out: number[] = []
  for (let at = Math.ceil((start - shift) / step) * step + shift; at <= end; at += step) out.push(at)
  return out
}

/** A label that is as long as the step needs: seconds only below a minute, their parts below a second, the day at midnight. */
export function spellAxis(ms: number, stepMs: number, zone: Zone): string {
  const minute = spellMinute(ms, zone)
  if (stepMs >= 3_600_000 && minute === '00:00') return spellDay(ms, zone)
  if (stepMs >= 60_000) return minute
  const parts = Math.max(0, Math.ceil(-Math.log10(stepMs / 1000)))
  const fraction = parts ? ((ms % 1000) / 1000).toFixed(parts).slice(1) : ''
  return `${spellTime(ms, zone)}${fraction}`
}
