import type { Growth, RoomLeft, SlowChange, Strained, Weeks } from '../api/client'
import { spellTimes } from '../comparison/words'
import { spellAmount } from '../model/amounts'
import { spellDay, spellDuration, spellMinute, type Zone } from '../model/clock'
import { toMs } from '../model/instant'
import { unitOf } from '../model/layouts'

const HOUR_MS = 3_600_000
/** Of devices, named one by one. */
const NAMED = 3
const MOST_SENTENCES = 3
const MOST_CHAPTERS = 2
const SURE_P = 0.05
const LEAST_A_WEEK = 0.01

/** Who changed: the machine, one device, or several that changed alike. */
export function whoChanged({ device, devices }: SlowChange): string {
  if (!device && !devices.length) return ''
  if (devices.length <= 1) return device ?? devices[0] ?? ''
  const rest = devices.length - NAMED
  return rest > 0 ? `${devices.slice(0, NAMED).join(', ')} and ${rest} more` : devices.join(', ')
}

/** When, as exactly as it is known: the hour, or the day where it may have been half a day earlier or later. */
export function spellSince(ms: number, uncertaintyS: number, zone: Zone): string {
  const day = spellDay(ms, zone)
  return uncertaintyS > 12 * 3_600 ? `about ${day}` : `${day} ${spellMinute(ms, zone)}`
}

type Stretch = SlowChange['stretches'][number]
const creeps = (stretch: Stretch): boolean => stretch.first !== stretch.last

/** What became of it from a stretch on. */
export function stretchWords(item: SlowChange, at: number, zone: Zone): string {
  const stretch = item.stretches[at]
  if (!stretch) return ''
  const unit = unitOf(item.measure, item.unit)
  const say = (value: number): string => spellAmount(value, unit)
  const before = item.stretches[at - 1]
  const when = before ? ` since ${spellSince(toMs(stretch.start), stretch.uncertainty_s, zone)}` : ''
  if (creeps(stretch))
    return `creeping ${stretch.last > stretch.first ? 'up' : 'down'}${when}, ${say(stretch.first)} to ${say(stretch.last)}`
  return before ? `${say(stretch.first)}${when}, was ${say(before.last)}` : say(stretch.first)
}

const PACE_MS = 3 * HOUR_MS
/** A change where another archive begins, at another pace, may be nothing but that. */
function paceWords(weeks: Weeks, item: SlowChange, at: number): string {
  const start = toMs(item.stretches[at]?.start ?? weeks.start)
  const begun = weeks.archives.findIndex((part) => Math.abs(toMs(part.start) - start) <= PACE_MS)
  const [before, now] = [weeks.archives[begun - 1], weeks.archives[begun]]
  if (at === 0 || !before || !now || before.interval_s === now.interval_s) return ''
  return ` (recorded every ${spellDuration(now.interval_s)} from there on, every ${spellDuration(before.interval_s)} before)`
}

/** All of it in a line, the newest first; of a long story the last chapters, without what may be the recording's. */
export function changeWords(weeks: Weeks, item: SlowChange, zone: Zone, most = Infinity): string {
  const [first] = item.stretches
  const from = item.stretches.length > 1 && first && !creeps(first) ? 1 : 0
  return item.stretches
    .map((_, at) => at)
    .slice(from)
    .filter((at) => most === Infinity || paceWords(weeks, item, at) === '')
    .reverse()
    .slice(0, most)
    .map((at) => stretchWords(item, at, zone) + paceWords(weeks, item, at))
    .join('; ')
}

const timesOf = ({ stretches }: SlowChange): number => {
  const [first, last] = [stretches[0]?.first ?? 0, stretches.at(-1)?.last ?? 0]
  return first > 0 ? last / first : last > 0 ? Infinity : 1
}

/** From how it was first to how it is last. */
export const timesWords = (item: SlowChange): string => spellTimes(timesOf(item))

/** The weeks in a few sentences: what took longer, since when; else that nothing did. */
export function sentencesOf(weeks: Weeks, zone: Zone): string[] {
  const said = new Set<string>()
  const out: string[] = []
  for (const role of ['response', 'loss', 'demand'] as const) {
    for (const item of weeks.changes.filter((change) => change.role === role)) {
      const who = whoChanged(item)
      const key = `${item.resource} ${role}`
      if (said.has(key) || out.length >= MOST_SENTENCES) continue
      if (paceWords(weeks, item, item.stretches.length - 1)) continue
      said.add(key)
      out.push(`${item.title}${who ? `, ${who}` : ''}: ${changeWords(weeks, item, zone, MOST_CHAPTERS)}.`)
    }
  }
  return out.length ? out : ['Over these weeks nothing that was wanted, took or waited changed for good.']
}

const two = (hour: number): string => String(hour).padStart(2, '0')

/** Hours of the day in the zone that is read by, put together to stretches. */
export function hoursWords(hours: number[], dayMs: number, zone: Zone): string {
  const shown = hours
    .map((hour) => Number(spellMinute(dayMs + hour * HOUR_MS, zone).slice(0, 2)))
    .sort((a, b) => a - b)
  const stretches: [number, number][] = []
  for (const hour of shown) {
    const last = stretches.at(-1)
    if (last?.[1] === hour) last[1] = hour + 1
    else stretches.push([hour, hour + 1])
  }
  return stretches.map(([from, to]) => `${two(from)} to ${two(to % 24)}`).join(', ')
}

/** Constant or intermittent? */
export function strainedWords(
  { how, days, of, at_hours: hours }: Strained,
  dayMs: number,
  zone: Zone,
): string {
  const counted = `${days} of ${of} days`
  if (how === 'never') return 'never strained'
  if (how === 'constant') return `strained nearly all the time, ${counted}`
  if (how === 'daily') return `every day, ${hoursWords(hours, dayMs, zone)}`
  return `now and then, on ${counted}`
}

/** Until when there is room. */
export function leftWords({ days, days_low: low, days_high: high }: RoomLeft): string {
  const round = (value: number): string => (value < 10 ? value.toFixed(1) : Math.round(value).toString())
  const until = high === null ? `${round(low)} or more` : `${round(low)} to ${round(high)}`
  return `in ${round(days)} days (${until})`
}

/** By how many per cent a week. */
const perCent = (slope: number): string =>
  `${slope > 0 ? '+' : '−'}${Math.round(100 * Math.abs(Math.expm1(slope)))} %`

/** A trend that is sure, and of as much as a hundredth a week. */
const isTrend = (slope: Growth['demand_slope']): boolean =>
  slope !== null && slope.p <= SURE_P && Math.abs(slope.a_week) >= LEAST_A_WEEK

/** Growth of what was wanted beside growth of how long it took. */
export function growthWords({ demand_slope: demand, response_slope: response }: Growth): string {
  const [grows, slows] = [demand, response].map((slope) => isTrend(slope) && (slope?.a_week ?? 0) > 0)
  if (grows && slows && demand && response)
    return response.a_week > demand.a_week ? 'waits grow faster than the work' : 'waits grow as the work does'
  if (slows) return 'waits grow, the work does not'
  if (grows) return 'the work grows, waits do not'
  return 'neither grows'
}

export const slopeWords = (slope: Growth['demand_slope']): string =>
  slope === null ? 'too short to tell' : isTrend(slope) ? `${perCent(slope.a_week)} a week` : 'no trend'
