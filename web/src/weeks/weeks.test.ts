import { describe, expect, it } from 'vitest'
import type { SlowChange, Strained, Weeks } from '../api/client'
import { unusualWords } from '../strainmap/unusual'
import { thinned, weeksOfDays } from './calendar'
import {
  changeWords,
  growthWords,
  hoursWords,
  leftWords,
  sentencesOf,
  slopeWords,
  spellSince,
  strainedWords,
  timesWords,
  whoChanged,
} from './words'

/** Numbers and their units have a narrow space between them. */
const plain = (text: string | undefined): string => (text ?? '').replaceAll(/[\u2009\u202f\u00a0]/g, ' ')
const START = Date.parse('2026-10-22T00:00:00Z')
const HOUR = 3_600_000
const at = (hour: number): string => new Date(START + hour * HOUR).toISOString()

function stretch(from: number, to: number, first: number, last = first, uncertainty = 3_600) {
  return { start: at(from), end: at(to), first, last, certainty: 0.999, uncertainty_s: uncertainty }
}
function aChange(given: Partial<SlowChange> = {}): SlowChange {
  return {
    measure: 'disk.wait',
    title: 'Wait per request',
    unit: 's',
    resource: 'disk',
    role: 'response',
    device: 'sdd',
    devices: ['sdd'],
    stretches: [stretch(0, 200, 0.004), stretch(200, 504, 0.04)],
    hours: [],
    ...given,
  }
}
const row = (hours: (number | null)[], given: Partial<Strained> = {}): Strained => ({
  resource: 'disk',
  hours,
  how: 'never',
  days: 0,
  of: 21,
  at_hours: [],
  ...given,
})
const aWeeks = (changes: SlowChange[]): Weeks => ({
  host: 'vault',
  host_id: '05f0b881-6212-5bae-8538-1e1d26a8a05e',
  archives: [
    { id: '1', start: at(0), end: at(503), interval_s: 300 },
    { id: '2', start: at(504), end: at(552), interval_s: 5 },
  ],
  start: at(0),
  end: at(552),
  knows_weeks: true,
  strain: [],
  hours_from: at(0),
  changes,
  left: [],
  growth: [],
})

describe('what changed slowly', () => {
  it('is said with its time, as exactly as it is known', () => {
    const weeks = aWeeks([])
    expect(plain(changeWords(weeks, aChange(), 'UTC'))).toBe('40.0 ms since 30 Oct 08:00, was 4.00 ms')
    const vague = aChange({ stretches: [stretch(0, 200, 0.004), stretch(200, 504, 0.04, 0.04, 90_000)] })
    expect(plain(changeWords(weeks, vague, 'UTC'))).toContain('since about 30 Oct,')
    expect(spellSince(START, 3_600, 'Europe/Berlin')).toBe('22 Oct 02:00')
  })

  it('creeps, from the beginning or from some time on', () => {
    const creeping = aChange({ stretches: [stretch(0, 504, 0.004, 0.008)] })
    expect(plain(changeWords(aWeeks([]), creeping, 'UTC'))).toBe('creeping up, 4.00 ms to 8.00 ms')
    const later = aChange({ stretches: [stretch(0, 200, 0.004), stretch(200, 504, 0.004, 0.002)] })
    expect(plain(changeWords(aWeeks([]), later, 'UTC'))).toBe(
      'creeping down since 30 Oct 08:00, 4.00 ms to 2.00 ms',
    )
  })

  it('says where another pace of recording begins', () => {
    const paced = aChange({ stretches: [stretch(0, 503, 0.004), stretch(503, 552, 0.008)] })
    expect(plain(changeWords(aWeeks([]), paced, 'UTC'))).toContain(
      '(recorded every 5 s from there on, every 5 min before)',
    )
    expect(plain(changeWords(aWeeks([]), aChange(), 'UTC'))).not.toContain('recorded')
  })

  it('names devices and how many times', () => {
    expect(whoChanged(aChange())).toBe('sdd')
    expect(whoChanged(aChange({ device: null, devices: [] }))).toBe('')
    expect(whoChanged(aChange({ devices: ['sda', 'sdb', 'sdc', 'sdd', 'sde'] }))).toBe(
      'sda, sdb, sdc and 2 more',
    )
    expect(timesWords(aChange())).toBe('× 10')
    expect(timesWords(aChange({ stretches: [stretch(0, 1, 0), stretch(1, 2, 3)] }))).toBe('× 60 and more')
  })

  it('comes as a few sentences, waits before work, or that there is nothing', () => {
    const demand = aChange({
      role: 'demand',
      measure: 'disk.read.rate',
      title: 'Bytes read',
      unit: 'bytes/s',
    })
    const sentences = sentencesOf(aWeeks([demand, aChange(), aChange({ devices: ['sda'] })]), 'UTC')
    expect(sentences).toHaveLength(2)
    expect(plain(sentences[0])).toContain('Wait per request, sdd: 40.0 ms')
    expect(sentences[1]).toContain('Bytes read')
    expect(sentencesOf(aWeeks([]), 'UTC')[0]).toContain('nothing')
  })
})

describe('days', () => {
  it('stand in weeks from Monday on, by the clock that is read by', () => {
    const hours = Array.from({ length: 48 }, (_, hour) => hour)
    const weeks = weeksOfDays([row(hours)], START, START + 48 * HOUR, 'UTC')
    expect(weeks).toHaveLength(1)
    expect(weeks[0]?.map((day) => day?.number ?? null)).toEqual([null, null, null, 22, 23, null, null])
    expect(weeks[0]?.[3]?.month).toBe('Oct')
    expect(weeks[0]?.[4]?.rows[0]?.[5]).toBe(29)
    // By a clock two hours ahead the first two hours of the day were not recorded.
    const ahead = weeksOfDays([row(hours)], START, START + 48 * HOUR, 'Europe/Berlin')
    expect(ahead[0]?.[3]?.rows[0]?.slice(0, 4)).toEqual([null, null, 0, 1])
    expect(weeksOfDays([], START, START, 'UTC')).toEqual([])
  })

  it('are strained always, at the same hours, now and then, or never', () => {
    const say = (given: Partial<Strained>): string => strainedWords(row([], given), START, 'UTC')
    expect(say({})).toBe('never strained')
    expect(say({ how: 'constant', days: 20 })).toBe('strained nearly all the time, 20 of 21 days')
    expect(say({ how: 'intermittent', days: 3 })).toBe('now and then, on 3 of 21 days')
    expect(say({ how: 'daily', days: 21, at_hours: [1, 2, 3, 4] })).toBe('every day, 01 to 05')
    expect(hoursWords([1, 2, 22, 23], START, 'UTC')).toBe('01 to 03, 22 to 00')
    expect(hoursWords([22], START, 'Europe/Berlin')).toBe('00 to 01')
  })

  it('are thinned to what can be drawn', () => {
    expect(thinned([1, 3, null, null, 5], 3)).toEqual([2, null, 5])
    expect(thinned([1, 2], 5)).toEqual([1, 2])
  })
})

describe('room and growth', () => {
  it('say until when, and how sure that is', () => {
    const left = {
      measure: 'filesystem.use',
      title: 'Use',
      unit: 'share' as const,
      device: '/srv',
      then: 'full',
      now: 0.9,
      limit: 1,
    }
    expect(leftWords({ ...left, days: 11.2, days_low: 6.31, days_high: 24.4 })).toBe('in 11 days (6.3 to 24)')
    expect(leftWords({ ...left, days: 11.2, days_low: 6.31, days_high: null })).toBe(
      'in 11 days (6.3 or more)',
    )
  })

  it('hold waits against work', () => {
    const slope = (perWeek: number, p = 0.001) => ({ a_week: perWeek, low: 0, high: 1, p })
    const growth = (demand: number, response: number) =>
      growthWords({
        resource: 'disk',
        demand: 'disk.read.requests',
        response: 'disk.wait',
        demand_title: 'Reads',
        response_title: 'Wait',
        demand_slope: slope(demand),
        response_slope: slope(response),
      })
    expect(growth(0.1, 0.3)).toBe('waits grow faster than the work')
    expect(growth(0.3, 0.1)).toBe('waits grow as the work does')
    expect(growth(0, 0.1)).toBe('waits grow, the work does not')
    expect(growth(0.1, 0)).toBe('the work grows, waits do not')
    expect(growth(-0.1, 0)).toBe('neither grows')
    expect(slopeWords(slope(0.182))).toBe('+20 % a week')
    expect(slopeWords(slope(0.182, 0.2))).toBe('no trend')
    expect(slopeWords(null)).toBe('too short to tell')
  })
})

describe('what is unlike usual', () => {
  it('is named with how often it was so', () => {
    const unusual = {
      start: at(0),
      bin_s: 60,
      strain: [0, 50, 80, null],
      most: [null, 0, 0, null],
      names: ['disk.wait@sdd'],
    }
    expect(unusualWords(unusual)).toBe('Unlike usual for the hour: disk.wait of sdd in 67 % of the time')
    expect(unusualWords({ ...unusual, most: [null, null, null, null] })).toContain('never')
    expect(unusualWords({ ...unusual, strain: [null, null, null, null] })).toContain('too little is known')
  })
})
