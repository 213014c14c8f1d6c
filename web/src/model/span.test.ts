import { describe, expect, it } from 'vitest'
import { aroundStretch, between, panBy, shareAt, within, zoomAround } from './span'

const hour = { start: 0, end: 3_600_000 }

describe('a window', () => {
  it('keeps the moment under the pointer in its place while zooming', () => {
    const window = { start: 600_000, end: 1_800_000 }
    const zoomed = zoomAround(window, 900_000, 0.5, hour)
    expect(shareAt(zoomed, 900_000)).toBeCloseTo(shareAt(window, 900_000))
    expect(zoomed.end - zoomed.start).toBe(600_000)
  })

  it('never leaves what was recorded', () => {
    expect(zoomAround(hour, 10, 100, hour)).toEqual(hour)
    expect(panBy({ start: 3_000_000, end: 3_600_000 }, 1, hour)).toEqual({ start: 3_000_000, end: 3_600_000 })
    expect(within({ start: -50, end: 50 }, hour)).toEqual({ start: 0, end: 100 })
  })

  it('is never narrower than a second', () => {
    expect(between(5_000, 5_001, hour)).toEqual({ start: 5_000, end: 6_000 })
    expect(zoomAround({ start: 0, end: 1_500 }, 0, 0.01, hour).end).toBe(1_000)
  })

  it('can be drawn out from right to left', () => {
    expect(between(9_000, 4_000, hour)).toEqual({ start: 4_000, end: 9_000 })
  })

  it('shows a finding with what came before and after', () => {
    const around = aroundStretch({ start: 1_000_000, end: 2_000_000 }, hour)
    expect(around.start).toBeLessThan(1_000_000)
    expect(around.end).toBeGreaterThan(2_000_000)
    expect(aroundStretch({ start: 0, end: 3_600_000 }, hour)).toEqual(hour)
  })
})
