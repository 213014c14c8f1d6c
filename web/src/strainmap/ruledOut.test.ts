import { describe, expect, it } from 'vitest'
import type { StrainRow } from '../api/client'
import { aFinding, aRuledOut } from '../testing/samples'
import { excusedOf, excusesIn } from './ruledOut'

const MINUTE = 60_000
const scale = { first: 0, length: MINUTE }
const row = (more: Partial<StrainRow> = {}): StrainRow => ({
  measure: 'disk.strain',
  resource: 'disk',
  device: null,
  inputs: [],
  help: '',
  formula: '',
  has_devices: true,
  mean: [0, 80, 90, 10, null, 70],
  high: [0, 80, 90, 10, null, 70],
  ...more,
})
const lookAlike = (from: number, to: number, device: string | null = null) =>
  aRuledOut({
    resource: 'disk',
    device,
    title: 'Disk busy, not saturated',
    start: new Date(from * MINUTE).toISOString(),
    end: new Date(to * MINUTE).toISOString(),
  })
const minutes = (item: { start: number; end: number }) => [item.start / MINUTE, item.end / MINUTE]

describe('what was ruled out, on the map', () => {
  it('is marked where the map is dark, and there only', () => {
    expect(excusedOf([lookAlike(0, 6)], [], row(), scale).map(minutes)).toEqual([
      [1, 3],
      [5, 6],
    ])
  })

  it('ends where the look-alike does: what follows it may be trouble', () => {
    expect(excusedOf([lookAlike(0, 2)], [], row(), scale).map(minutes)).toEqual([[1, 2]])
  })

  it('is marked on its own device and its resource, and no other', () => {
    const one = [lookAlike(0, 6, 'sdb')]
    expect(excusedOf(one, [], row({ device: 'sdb' }), scale)).toHaveLength(2)
    expect(excusedOf(one, [], row({ device: 'sda' }), scale)).toEqual([])
    expect(excusedOf(one, [], row({ resource: 'network' }), scale)).toEqual([])
  })

  it('is not marked where something of the same resource was found', () => {
    const saturated = aFinding({
      resource: 'disk',
      start: new Date(1.5 * MINUTE).toISOString(),
      end: new Date(9 * MINUTE).toISOString(),
      occurrences: [],
    })
    expect(excusedOf([lookAlike(0, 6)], [saturated], row(), scale).map(minutes)).toEqual([[1, 1.5]])
    const other = aFinding({ ...saturated, resource: 'memory' })
    expect(excusedOf([lookAlike(0, 6)], [other], row(), scale)).toHaveLength(2)
  })

  it('is named once for a place, however often it came', () => {
    const excused = excusedOf([lookAlike(0, 2), lookAlike(1, 3)], [], row(), scale)
    expect(excusesIn(excused, { start: MINUTE, end: 2 * MINUTE })).toEqual(['Disk busy, not saturated'])
    expect(excusesIn(excused, { start: 3 * MINUTE, end: 4 * MINUTE })).toEqual([])
  })
})
