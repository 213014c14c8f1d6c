import { describe, expect, it } from 'vitest'
import { fits, readWidth } from './averaging'

const HOUR = 3_600_000

describe('the length of bins', () => {
  it('is one of those that there are, as a link names it', () => {
    expect(['1', '60', '86400', '7', '', '60s', undefined].map(readWidth)).toEqual([
      1,
      60,
      86_400,
      null,
      null,
      null,
      null,
    ])
  })

  it('may not be too short for a window', () => {
    expect([fits(1, { start: 0, end: HOUR }), fits(1, { start: 0, end: 24 * HOUR })]).toEqual([true, false])
    expect(fits(60, { start: 0, end: 24 * HOUR })).toBe(true)
  })
})
