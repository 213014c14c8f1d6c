import { describe, expect, it } from 'vitest'
import type { TableMapping } from '../api/imports'
import type { Counter } from '../api/client'
import {
  called,
  columnAt,
  lineThrough,
  readAttributes,
  withColumn,
  withTime,
  writeAttributes,
} from './mapping'

const mapping: TableMapping = {
  delimiter: ',',
  decimal: '.',
  encoding: 'utf-8',
  names_row: 0,
  units_row: null,
  first_row: 1,
  time: { places: [0], form: 'iso', zone: 'UTC' },
  columns: [{ place: 1, counter: 'a', attributes: {}, unit: '1', kind: 'level', scale: [1, 1] }],
  long: null,
}

describe('corrections of a mapping', () => {
  it('leave a column out, and take it in again under its name', () => {
    const without = withColumn(mapping, 1, null)
    expect(without.columns).toEqual([])
    const again = withColumn(without, 2, { unit: 's' }, 'wait')
    expect(columnAt(again, 2)).toMatchObject({ counter: 'wait', unit: 's', kind: 'level' })
    expect(mapping.columns).toHaveLength(1)
  })

  it('take unit and kind from the catalogue for a counter of ours', () => {
    const catalogue = [{ name: 'system.disk.io', unit: 'By', kind: 'cumulative' }] as Counter[]
    const ours = { counter: 'system.disk.io', unit: 'By', kind: 'cumulative' }
    expect(called('system.disk.io', catalogue)).toEqual(ours)
    expect(called('orders', catalogue)).toEqual({ counter: 'orders' })
  })

  it('read attributes as people write them', () => {
    expect(readAttributes('core=0, mode=user')).toEqual({ core: '0', mode: 'user' })
    expect(readAttributes('')).toEqual({})
    expect(readAttributes('core')).toBeNull()
    expect(readAttributes('=x')).toBeNull()
    expect(writeAttributes({ core: '0', mode: 'user' })).toBe('core=0, mode=user')
  })

  it('take the time column out of the counters', () => {
    expect(withTime(mapping, { places: [1] }).columns).toEqual([])
  })
})

describe('a line through a column', () => {
  it('is broken where nothing is known', () => {
    expect(lineThrough([0, 1, null, 1, 0], 40, 10)).toBe('M0.0 10.0L10.0 0.0M30.0 0.0L40.0 10.0')
    expect(lineThrough([2, 2], 10, 10)).toBe('M0.0 5.0L10.0 5.0')
    expect(lineThrough([null, 1], 10, 10)).toBe('')
  })
})
