import { describe, expect, it } from 'vitest'
import { monthDays, monthOf, withoutGaps } from './calendar'

const HOUR = 3_600_000
const day = (number: number, hours = 0): number => Date.UTC(2026, 10, number) + hours * HOUR

describe('a month of what was recorded', () => {
  it('begins its weeks on Monday, and has all days once', () => {
    // 1 November 2026 is a Sunday.
    const weeks = monthDays({ year: 2026, month: 10 }, [], 'UTC')
    expect(weeks[0]?.map((place) => place?.number ?? null)).toEqual([null, null, null, null, null, null, 1])
    expect(weeks.flat().flatMap((place) => place?.number ?? [])).toEqual(
      Array.from({ length: 30 }, (_, at) => at + 1),
    )
    expect(weeks.every((week) => week.length === 7)).toBe(true)
  })

  it('says how much of each day there is', () => {
    const recorded = [
      { start: day(12, 6), end: day(13) },
      { start: day(13), end: day(13, 12) },
    ]
    const places = monthDays({ year: 2026, month: 10 }, recorded, 'UTC').flat()
    const share = (number: number): number | undefined =>
      places.find((place) => place?.number === number)?.share
    expect([11, 12, 13, 14].map(share)).toEqual([0, 0.75, 0.5, 0])
  })

  it('has a day of 25 hours where the clock is put back', () => {
    const [october] = monthDays({ year: 2026, month: 9 }, [], 'Europe/Berlin')
      .flat()
      .filter((place) => place?.number === 25)
    expect(((october?.span.end ?? 0) - (october?.span.start ?? 0)) / HOUR).toBe(25)
  })

  it('is that of the zone’s own clock, and months follow each other over a year’s end', () => {
    expect(monthOf(Date.parse('2026-10-31T23:30:00Z'), 'Europe/Berlin')).toEqual({ year: 2026, month: 10 })
    expect(monthOf(day(12), 'UTC', 2)).toEqual({ year: 2027, month: 0 })
  })

  it('leaves gaps out', () => {
    const extent = { start: 0, end: 10 }
    expect(
      withoutGaps(extent, [
        { start: 2, end: 3 },
        { start: 9, end: 12 },
      ]),
    ).toEqual([
      { start: 0, end: 2 },
      { start: 3, end: 9 },
    ])
    expect(withoutGaps(extent, [])).toEqual([extent])
  })
})
