import { describe, expect, it } from 'vitest'
import type { Finding } from '../api/client'
import { bracketsOf } from './brackets'
import { dragged } from './useFrame'

const HOUR = 3_600_000
const extent = { start: 0, end: 48 * HOUR }
const finding = (id: string, fromH: number, toH: number, severity: number): Finding =>
  ({
    id,
    title: 'Processor saturated',
    device: null,
    caused_by: [],
    pattern: { kind: 'once', period_s: null },
    occurrences: [],
    start: new Date(fromH * HOUR).toISOString(),
    end: new Date(toH * HOUR).toISOString(),
    severity,
    time_lost_s: 60,
    harm: { seconds: 60, of: 'of stall time' },
  }) as unknown as Finding

describe('brackets', () => {
  it('put the words where there is room', () => {
    const [early, late] = bracketsOf([finding('a', 0, 1, 0.9), finding('b', 46, 48, 0.5)], extent, 1000)
    expect([early?.words, late?.words]).toEqual(['after', 'before'])
  })

  it('lay what overlaps on lines of their own, and leave words out before they cross', () => {
    const many = Array.from({ length: 12 }, (_, at) => finding(String(at), 10 + at / 4, 14, 1 - at / 20))
    const brackets = bracketsOf(many, extent, 900)
    expect(brackets).toHaveLength(12)
    expect(brackets[0]?.words).not.toBeNull()
    expect(brackets.filter((bracket) => bracket.words !== null).length).toBeLessThan(4)
  })

  it('stand above each day of what came on several', () => {
    const days = [
      { start: new Date(HOUR).toISOString(), end: new Date(2 * HOUR).toISOString() },
      { start: new Date(25 * HOUR).toISOString(), end: new Date(26 * HOUR).toISOString() },
    ]
    const daily: Finding = {
      ...finding('a', 1, 26, 1),
      pattern: { kind: 'days', period_s: null },
      occurrences: days,
    }
    const brackets = bracketsOf([daily], extent, 1000)
    expect(brackets.map(({ from }) => Math.round(from * 48))).toEqual([1, 25])
  })

  it('stay within the archive, however long a finding goes on', () => {
    const [only] = bracketsOf([finding('a', -5, 99, 1)], extent, 1000)
    expect([only?.from, only?.to]).toEqual([0, 1])
  })
})

describe('the frame', () => {
  const window = { start: 10 * HOUR, end: 12 * HOUR }

  it('is moved as a whole, and not out of the archive', () => {
    expect(dragged('move', window, HOUR, extent)).toEqual({ start: 11 * HOUR, end: 13 * HOUR })
    expect(dragged('move', window, 99 * HOUR, extent)).toEqual({ start: 46 * HOUR, end: 48 * HOUR })
  })

  it('is resized at either edge, and never turned over', () => {
    expect(dragged('start', window, -HOUR, extent)).toEqual({ start: 9 * HOUR, end: 12 * HOUR })
    expect(dragged('start', window, 9 * HOUR, extent)).toEqual({ start: 12 * HOUR - 1000, end: 12 * HOUR })
    expect(dragged('end', window, -9 * HOUR, extent)).toEqual({ start: 10 * HOUR, end: 10 * HOUR + 1000 })
    expect(dragged('end', window, 99 * HOUR, extent)).toEqual({ start: 10 * HOUR, end: 48 * HOUR })
  })
})
