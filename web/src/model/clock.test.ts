import { describe, expect, it } from 'vitest'
import { axisMoments, spellAxis, spellDuration, spellTime, spellWindow } from './clock'

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
