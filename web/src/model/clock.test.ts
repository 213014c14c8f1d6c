import { describe, expect, it } from 'vitest'
import {
  axisMoments,
  clockChange,
  fromWall,
  isKnownZone,
  spellAxis,
  spellDuration,
  spellMinute,
  spellOffset,
  spellTime,
  spellWindow,
  toWall,
} from './clock'

const nine = Date.UTC(2026, 10, 12, 9)

describe('clocks', () => {
  it('spells times in UTC', () => {
    expect(spellTime(nine + 1_500, 'UTC')).toBe('09:00:01')
  })

  it('names the second day of a window only where it differs', () => {
    expect(spellWindow(nine, nine + 3_600_000, 'UTC')).toBe('12 Nov 09:00:00 – 10:00:00')
    expect(spellWindow(nine, nine + 86_400_000, 'UTC')).toBe('12 Nov 09:00:00 – 13 Nov 09:00:00')
  })

  it.each([
    [0.25, '250 ms'],
    [59, '59 s'],
    [925, '15 min 25 s'],
    [3_600, '1 h'],
    [90_000, '1 d 1 h'],
  ])('spells %f seconds as %s', (seconds, text) => {
    expect(spellDuration(seconds)).toBe(text)
  })

  it('puts axis labels on whole steps, no more than requested', () => {
    const moments = axisMoments(nine + 1, nine + 3_600_000, 9, 'UTC')
    expect(moments.length).toBeLessThanOrEqual(9)
    expect(moments.every((at) => at % 600_000 === 0)).toBe(true)
  })

  it('shows the day at midnight on long axes', () => {
    expect(spellAxis(Date.UTC(2026, 10, 13), 6 * 3_600_000, 'UTC')).toBe('13 Nov')
    expect(spellAxis(nine, 1_000, 'UTC')).toBe('09:00:00')
  })
})

describe('the clock of a place', () => {
  const BERLIN = 'Europe/Berlin'
  // Put forward on 29 March 2026 at 01:00 UTC, and back on 25 October at 01:00 UTC.
  const [spring, autumn] = [Date.UTC(2026, 2, 29, 1), Date.UTC(2026, 9, 25, 1)]

  it.each(['2026-01-15T12:00:00Z', '2026-07-15T12:00:00Z', '2026-10-25T00:30:00Z', '2026-03-29T01:00:00Z'])(
    'finds the moment of %s again from what the clock shows',
    (text) => {
      const at = Date.parse(text)
      for (const zone of [BERLIN, 'America/St_Johns', 'Asia/Kathmandu', 'UTC'])
        expect(fromWall(toWall(at, zone), zone)).toBe(at)
    },
  )

  it('takes the first of an hour that comes twice, and goes on over one that is left out', () => {
    expect(fromWall(Date.UTC(2026, 9, 25, 2, 30), BERLIN)).toBe(Date.UTC(2026, 9, 25, 0, 30))
    expect(fromWall(Date.UTC(2026, 2, 29, 2, 30), BERLIN)).toBe(Date.UTC(2026, 2, 29, 1, 30))
  })

  it('knows when it is put forward or back, and not where it is not', () => {
    expect(clockChange(spring - 86_400_000, spring + 3_600_000, BERLIN)).toBe(spring)
    expect(clockChange(Date.UTC(2026, 8, 1), Date.UTC(2026, 11, 1), BERLIN)).toBe(autumn)
    expect(clockChange(nine, nine + 86_400_000, BERLIN)).toBeNull()
  })

  it('puts labels on its own whole hours, before and after a change', () => {
    const day = axisMoments(spring - 10 * 3_600_000, spring + 14 * 3_600_000, 10, BERLIN)
    expect(day.map((at) => spellMinute(at, BERLIN))).toEqual([
      '18:00',
      '21:00',
      '00:00',
      '03:00',
      '06:00',
      '09:00',
      '12:00',
      '15:00',
    ])
    const night = axisMoments(autumn - 2 * 3_600_000, autumn + 2 * 3_600_000, 5, BERLIN)
    expect(night.map((at) => spellMinute(at, BERLIN))).toEqual(['01:00', '02:00', '02:00', '03:00', '04:00'])
  })

  it('spells how far it is ahead of UTC', () => {
    expect(spellOffset(nine, BERLIN)).toBe('UTC+1')
    expect(spellOffset(Date.UTC(2026, 6, 1), 'America/St_Johns')).toBe('UTC−2:30')
    expect(spellOffset(nine, 'UTC')).toBe('UTC')
  })

  it('is one that there is', () => {
    expect([BERLIN, 'Mars/Olympus', ''].map(isKnownZone)).toEqual([true, false, false])
  })
})
