import { describe, expect, it } from 'vitest'
import type { Difference } from '../api/client'
import { readAgainst, referenceSpan, writeAgainst } from './against'
import { comparable, referencesOf, usualReference } from './references'
import { linePath, rowFigures, rowTitle, rowWords, shapePath, spellTimes, stripOfRow } from './words'

const HOUR = 3_600_000
const EXTENT = { start: 0, end: 48 * HOUR }
const side = (median: number, more: Partial<Difference['window']> = {}): Difference['window'] => ({
  values: 100,
  low: median,
  q1: median,
  median,
  q3: median,
  p95: median,
  p99: median,
  high: median,
  mean: median,
  above: null,
  shape: [0, 1, 0],
  ...more,
})
const aDifference = (more: Partial<Difference> = {}): Difference => ({
  measure: 'disk.wait',
  title: 'Wait per request',
  device: 'sdb',
  reference_device: 'sdb',
  unit: 's',
  resource: 'disk',
  role: 'response',
  threshold: null,
  window: side(0.042),
  reference: side(0.014),
  scale_low: 0,
  scale_high: 0.1,
  scale_log: false,
  delta: 0.9,
  delta_low: 0.8,
  delta_high: 1,
  shift: 0.028,
  shift_low: 0.02,
  shift_high: 0.03,
  ratio: 3,
  p: 0.001,
  likewise: [],
  ...more,
})

describe('what a window is compared with', () => {
  it('lies where something was recorded', () => {
    const friday = { start: 28 * HOUR, end: 32 * HOUR }
    expect(referencesOf(friday, EXTENT).map((item) => item.id)).toEqual(['before', 'after', 'day'])
    expect(usualReference(friday, EXTENT)?.span).toEqual({ start: 4 * HOUR, end: 8 * HOUR })
    const first = { start: 0, end: 30 * HOUR }
    expect(referencesOf(first, EXTENT).map((item) => item.id)).toEqual(['after'])
    expect(usualReference(EXTENT, EXTENT)).toBeNull()
  })
  it('is the first half, where all of a recording is looked at', () => {
    const window = comparable(EXTENT, EXTENT)
    expect(window).toEqual({ start: 24 * HOUR, end: 48 * HOUR })
    expect(usualReference(window, EXTENT)?.span).toEqual({ start: 0, end: 24 * HOUR })
    const friday = { start: 28 * HOUR, end: 32 * HOUR }
    expect(comparable(friday, EXTENT)).toBe(friday)
  })
})

describe('a row in words', () => {
  it('says how many times as much, and by how much', () => {
    expect(rowWords(aDifference()).replace(/\s/g, ' ')).toBe('× 3, +28.0 ms')
    expect([0.25, 0.9, 1, 1.204, 2.04, 64].map(spellTimes)).toEqual([
      '75 % less',
      '10 % less',
      '0 % more',
      '20 % more',
      '× 2',
      '× 60 and more',
    ])
    const fresh = aDifference({ reference: side(0), likewise: ['a', 'b', 'c', 'd'] })
    expect(rowWords(fresh)).toBe('× 3, none before, likewise a, b, c and 1 more')
    expect(rowWords(aDifference({ window: side(0), ratio: 0.2 }))).toBe('80 % less, none any more')
  })
  it('names both devices where one stands for another', () => {
    expect(rowTitle(aDifference({ reference_device: 'vdb' }))).toBe('Wait per request, sdb (vdb before)')
    expect(rowTitle(aDifference({ device: null, reference_device: null }))).toBe('Wait per request')
    expect(stripOfRow(aDifference())).toBe('disk.wait@sdb')
    expect(rowFigures(aDifference())).toContain('delta 0.90 (0.80 to 1.00)')
    expect(rowFigures(aDifference())).not.toContain('rules')
    const stall = { measure: 'stall.io.some', unit: 'share' as const, threshold: 0.1 }
    const sides = { window: side(0.4, { above: 0.93 }), reference: side(0.02, { above: 0 }) }
    expect(rowFigures(aDifference({ ...stall, ...sides }))).toMatch(/window, 93 % of it at 10\s% and more/)
  })
})

describe('pictures', () => {
  it('end on the ground', () => {
    expect(shapePath([0, 1], 10, 5)).toBe('M0,5L0.0,5.0L10.0,1.0L10,5Z')
  })
  it('break where nothing is known, and leave out what lies beside the window', () => {
    const path = linePath(
      [0, 1, 2, 3, 9],
      [0, null, 4, 4, 4],
      { start: 0, end: 4, top: 4 },
      { width: 4, height: 10 },
    )
    expect(path).toBe('M0.0,9.0M2.0,1.0L3.0,1.0')
  })
})

describe('what stands behind the strips', () => {
  it('moves along with the window, and stands in the link', () => {
    const day = { archive: null, shift: -24 * HOUR }
    expect(referenceSpan({ start: 30 * HOUR, end: 31 * HOUR }, day)).toEqual({
      start: 6 * HOUR,
      end: 7 * HOUR,
    })
    const other = { archive: '11111111-1111-4111-8111-111111111111', shift: 0 }
    for (const against of [day, other]) expect(readAgainst(writeAgainst(against))).toEqual(against)
    expect(writeAgainst(day)).toBe('-86400')
    for (const wrong of ['', '0', 'yesterday', 'x,5', undefined]) expect(readAgainst(wrong)).toBeNull()
  })
})
