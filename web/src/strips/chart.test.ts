import { describe, expect, it } from 'vitest'
import type { Series, SeriesSet } from '../api/client'
import type { StripPlan } from '../model/layouts'
import { gapsOf, highest, plotColumns, stacked, stripData } from './chart'

const plan: StripPlan = {
  id: 'cores',
  title: 'Cores busy',
  note: '',
  resource: 'processor',
  unit: 'cores',
  stackedTo: 'cpu.busy',
  traces: [
    { measure: 'cpu.user', label: 'programs', weight: 1 },
    { measure: 'cpu.system', label: 'kernel', weight: 1 },
  ],
}

const series = (measure: string, mean: (number | null)[], more: Partial<Series> = {}): Series => ({
  measure,
  device: null,
  unit: 'cores',
  times: 0,
  bin_s: null,
  mean,
  low: null,
  high: null,
  summary: null,
  missing: null,
  ...more,
})

const set = (...all: Series[]): SeriesSet => ({
  start_ms: 0,
  end_ms: 4,
  times_ms: [[1, 2, 3, 4]],
  series: all,
})

describe('a strip', () => {
  it('stacks layers, unknown where any is', () => {
    expect(
      stacked([
        [1, 2, null, 4],
        [1, 1, 1, 1],
      ]),
    ).toEqual([
      [1, 2, null, 4],
      [2, 3, null, 5],
    ])
  })

  it('draws the highest layer first, so that lower ones lie over it', () => {
    const data = stripData(plan, set(series('cpu.user', [1, 1, 1, 1]), series('cpu.system', [2, 2, 2, 2])))
    expect(plotColumns(plan, data)).toEqual([
      [1, 2, 3, 4],
      [3, 3, 3, 3],
      [1, 1, 1, 1],
    ])
    expect(highest(plan, data)).toBe(3)
  })

  it('says why it is empty', () => {
    const data = stripData(plan, set(series('cpu.user', [], { missing: 'no such counter' })))
    expect(data.missing).toBe('no such counter')
  })

  it('counts the highest of each bin for its scale', () => {
    const line: StripPlan = { ...plan, traces: plan.traces.slice(0, 1) }
    delete line.stackedTo
    const spiky = series('cpu.user', [1, 1, 1, 1], { bin_s: 1, low: [0, 0, 0, 0], high: [1, 9, 1, 1] })
    expect(highest(line, stripData(line, set(spiky)))).toBe(9)
  })

  it('tells stretches without ticks', () => {
    const data = stripData(
      plan,
      set(series('cpu.user', [1, null, null, 1]), series('cpu.system', [1, 1, 1, 1])),
    )
    expect(gapsOf(data)).toEqual([{ start: 1, end: 3 }])
  })
})
