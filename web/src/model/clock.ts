/** Times as people read them: by their own clock, in UTC, or by the clock of a place. */

/** This browser's own clock, UTC, or a place of the IANA time zone database ("Europe/Berlin"). */
export type Zone = 'local' | 'UTC' | (string & {})

const formats = new Map<string, Intl.DateTimeFormat>()

function format(zone: Zone, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = zone + JSON.stringify(options)
  const known = formats.get(key)
  if (known) return known
  const made = new Intl.DateTimeFormat('en-GB', {
    ...options,
    hourCycle: 'h23',
    ...(zone === 'local' ? {} : { timeZone: zone }),
  })
  formats.set(key, made)
  return made
}

/** Whether a name is of a place whose clock this browser knows. */
export function isKnownZone(name: string): boolean {
  try {
    format(name, TIME)
    return true
  } catch (error) {
    if (error instanceof RangeError) return false
    throw error
  }
}

const TIME = { hour: '2-digit', minute: '2-digit', second: '2-digit' } as const
const MINUTE = { hour: '2-digit', minute: '2-digit' } as const
const DAY = { day: 'numeric', month: 'short' } as const
const DATE = { ...DAY, year: 'numeric' } as const
const WALL = { ...TIME, day: '2-digit', month: '2-digit', year: 'numeric', era: 'short' } as const
const [MINUTE_MS, HOUR_MS, DAY_MS] = [60_000, 3_600_000, 86_400_000]

/** How far a zone's clock is ahead of UTC at a moment, ms. */
export function offsetAt(ms: number, zone: Zone): number {
  if (zone === 'UTC') return 0
  if (zone === 'local') return -new Date(ms).getTimezoneOffset() * MINUTE_MS
  const parts = Object.fromEntries(
    format(zone, WALL)
      .formatToParts(ms)
      .map(({ type, value }) => [type, value]),
  )
  const read = (name: string): number => Number(parts[name] ?? 0)
  const wall = Date.UTC(
    read('year'),
    read('month') - 1,
    read('day'),
    read('hour'),
    read('minute'),
    read('second'),
  )
  return wall - Math.floor(ms / 1000) * 1000
}

/** What a zone's clock shows at a moment, as if that were UTC. */
export const toWall = (ms: number, zone: Zone): number => ms + offsetAt(ms, zone)

/**
 * The moment at which a zone's clock shows this. Of an hour that comes twice the first is meant; a time that is left out when
 * summer begins is as long after the change as it is after the hour that is left out.
 */
export function fromWall(wall: number, zone: Zone): number {
  const [before, after] = [offsetAt(wall - DAY_MS, zone), offsetAt(wall + DAY_MS, zone)]
  const early = wall - Math.max(before, after)
  return toWall(early, zone) === wall ? early : wall - Math.min(before, after)
}

/** "UTC+2", "UTC−3:30". */
export function spellOffset(ms: number, zone: Zone): string {
  const minutes = Math.round(offsetAt(ms, zone) / MINUTE_MS)
  if (minutes === 0) return 'UTC'
  const [hours, rest] = [Math.floor(Math.abs(minutes) / 60), Math.abs(minutes) % 60]
  return `UTC${minutes < 0 ? '−' : '+'}${hours}${rest ? `:${String(rest).padStart(2, '0')}` : ''}`
}

/** When a zone's clock is put forward or back within a stretch, to the second; null if it is not. */
export function clockChange(start: number, end: number, zone: Zone): number | null {
  for (let at = start; at < end; at += 30 * DAY_MS) {
    let [low, high] = [at, Math.min(at + 30 * DAY_MS, end)]
    if (offsetAt(low, zone) === offsetAt(high, zone)) continue
    while (high - low > 1000) {
      const middle = Math.floor((low + high) / 2000) * 1000
      if (middle <= low) break
      if (offsetAt(middle, zone) === offsetAt(low, zone)) low = middle
      else high = middle
    }
    return high
  }
  return null
}

/** What a clock is called. */
export const spellZone = (zone: Zone): string =>
  zone === 'local'
    ? 'local time'
    : zone === 'UTC'
      ? 'UTC'
      : (zone.split('/').pop() ?? zone).replaceAll('_', ' ')

export const spellTime = (ms: number, zone: Zone): string => format(zone, TIME).format(ms)
export const spellMinute = (ms: number, zone: Zone): string => format(zone, MINUTE).format(ms)
const yearOf = (ms: number, zone: Zone): number => new Date(toWall(ms, zone)).getUTCFullYear()
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

/**
 * Round moments for an axis of `count` labels at most, on whole steps of the zone's own clock, also where that is put forward
 * or back: of an hour that comes twice both are there.
 */
export function axisMoments(start: number, end: number, count: number, zone: Zone): number[] {
  const wanted = (end - start) / 1000 / Math.max(count, 1)
  const step = (TICK_STEPS_S.find((seconds) => seconds >= wanted) ?? 604_800) * 1000
  const out: number[] = []
  if (step <= HOUR_MS) {
    // Such steps go on evenly through a change, which is by an hour, or half of one.
    const shift = offsetAt(start, zone)
    for (let at = Math.ceil((start + shift) / step) * step - shift; at <= end; at += step) out.push(at)
    return out
  }
  for (let wall = Math.ceil(toWall(start, zone) / step) * step; ; wall += step) {
    const at = fromWall(wall, zone)
    if (at > end) return out
    if (at >= start) out.push(at)
  }
}

/** A label that is as long as the step needs: seconds only below a minute, their parts below a second, the day at midnight. */
export function spellAxis(ms: number, stepMs: number, zone: Zone): string {
  const minute = spellMinute(ms, zone)
  if (stepMs >= HOUR_MS && minute === '00:00') return spellDay(ms, zone)
  if (stepMs >= MINUTE_MS) return minute
  const parts = Math.max(0, Math.ceil(-Math.log10(stepMs / 1000)))
  const fraction = parts ? ((ms % 1000) / 1000).toFixed(parts).slice(1) : ''
  return `${spellTime(ms, zone)}${fraction}`
}
