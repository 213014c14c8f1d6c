import { describe, expect, it } from 'vitest'
import type { SeriesSet } from '../api/client'
import { chosenColumns, figuresOf, rowOrder, toCsv, toTsv } from './table'

const START = Date.parse('2026-11-12T09:00:00Z')
const summary = { low: 0, mean: 1, p95: 2, high: 3, total: null, coverage: 1, bin_s: null }
const line = (measure: string, device: string | null, mean: (number | null)[], times = 0) => ({
  measure,
  device,
  unit: 'count' as const,
  times,
  bin_s: null,
  mean,
  low: null,
  high: null,
  summary,
  missing: null,
})
const set = {
  start: '',
  end: '',
  times_ms: [
    [START, START + 1000, START + 2000],
    [START + 120, START + 2110],
  ],
  series: [
    line('disk.queue', 'sda', [2, null, 1]),
    line('disk.queue', 'sdb', [1, 5, 3]),
    line('cpu.load.1m', null, [7, 9], 1),
    { ...line('gone', null, []), missing: 'not recorded' },
  ],
} as SeriesSet
const names = {
  titleOf: (measure: string) => measure,
  deviceOf: (_: string, device: string) => `disk ${device}`,
}
const figures = figuresOf(set, names)
const keys = figures.columns.map((column) => column.key)

describe('figures', () => {
  it('have a row a time, and lines of other files in the nearest row', () => {
    expect(figures.times).toHaveLength(3)
    expect(keys).toEqual(['disk.queue@sda', 'disk.queue@sdb', 'cpu.load.1m'])
    expect(figures.columns[2]?.values).toEqual([7, null, 9])
    expect(figures.columns[0]?.title).toBe('disk.queue, disk sda')
  })

  it('are sorted by time or a column, what is unknown last', () => {
    expect(rowOrder(figures, null, true)).toEqual([2, 1, 0])
    expect(rowOrder(figures, 'disk.queue@sda', true)).toEqual([0, 2, 1])
    expect(rowOrder(figures, 'disk.queue@sda', false)).toEqual([2, 0, 1])
  })

  it('are copied with tabs and saved with commas, the columns as chosen', () => {
    const columns = chosenColumns(figures, ['cpu.load.1m', 'no such', 'disk.queue@sda'])
    expect(toTsv(figures, columns, [2, 0]).split('\n')).toEqual([
      'time\tcpu.load.1m\tdisk.queue, disk sda',
      '2026-11-12T09:00:02.000Z\t9\t1',
      '2026-11-12T09:00:00.000Z\t7\t2',
    ])
    expect(toCsv(figures, columns, [1])).toBe(
      'time,cpu.load.1m,"disk.queue, disk sda"\r\n2026-11-12T09:00:01.000Z,,\r\n',
    )
  })

  it('run no formula where a name looks like one', () => {
    const evil = figuresOf(set, { ...names, titleOf: () => '=1+1"' })
    expect(toCsv(evil, evil.columns.slice(2), []).startsWith('time," =1+1"""')).toBe(true)
  })
})
