import { describe, expect, it } from 'vitest'
import { firstNotBefore, indexAt, stepTick } from './lookup'

const ticks = [1_000, 2_000, 3_000, 5_000]

describe('looking a moment up', () => {
  it('finds the tick whose interval holds it: the one that ends there', () => {
    expect(indexAt(ticks, 2_000, null)).toBe(1)
    expect(indexAt(ticks, 2_001, null)).toBe(2)
    expect(indexAt(ticks, 500, null)).toBe(0)
  })

  it('finds nothing long before the first and long after the last', () => {
    expect(indexAt(ticks, -5_000, null)).toBeNull()
    expect(indexAt(ticks, 60_000, null)).toBeNull()
    expect(indexAt([], 1, null)).toBeNull()
  })

  it('finds the bin around it by its middle', () => {
    expect(indexAt([5, 15, 25], 19.9, 10)).toBe(1)
    expect(indexAt([5, 15, 25], 20.1, 10)).toBe(2)
  })

  it('steps from tick to tick, and stops at the ends', () => {
    expect(stepTick(ticks, 2_000, 1)).toBe(3_000)
    expect(stepTick(ticks, 2_500, -1)).toBe(2_000)
    expect(stepTick(ticks, 5_000, 1)).toBe(5_000)
    expect(stepTick(ticks, 1_000, -1)).toBe(1_000)
  })

  it('searches like a plain loop would', () => {
    for (let at = 0; at < 6_000; at += 250) {
      const plain = ticks.findIndex((tick) => tick >= at)
      expect(firstNotBefore(ticks, at)).toBe(plain === -1 ? ticks.length : plain)
    }
  })
})
