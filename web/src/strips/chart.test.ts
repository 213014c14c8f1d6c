import { describe, expect, it } from 'vitest'
import type { Series, SeriesSet } from '../api/client'
import { stripOf, type Devices, type StripPlan } from '../model/strips'
import { gapsOf, heightOf, highest, plotColumns, secondsAbove, stacked, stripData } from './chart'

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
  start: '1970-01-01T00:00:00Z',
  end: '1970-01-01T00:00:00.004Z',
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
    const data = stripData(
      stripOf(plan),
      set(series('cpu.user', [1, 1, 1, 1]), series('cpu.system', [2, 2, 2, 2])),
    )
    expect(plotColumns(plan, data, 3, false)).toEqual([
      [1, 2, 3, 4],
      [1, 1, 1, 1],
      [1 / 3, 1 / 3, 1 / 3, 1 / 3],
    ])
    expect(highest(plan, data)).toBe(3)
  })

  it('says why it is empty', () => {
    const data = stripData(stripOf(plan), set(series('cpu.user', [], { missing: 'no such counter' })))
    expect(data.missing).toBe('no such counter')
  })

  it('says nothing of a strip that was just added, until the set answers for it', () => {
    const others = set(series('disk.queue', [1, 2]))
    expect(stripData(stripOf(plan), others, [], true).missing).toBeNull()
    expect(stripData(stripOf(plan), others, [], false).missing).toBe('Nothing recorded.')
  })

  it('counts the highest of each bin for its scale', () => {
    const line: StripPlan = { ...plan, traces: plan.traces.slice(0, 1) }
    delete line.stackedTo
    const spiky = series('cpu.user', [1, 1, 1, 1], { bin_s: 1, low: [0, 0, 0, 0], high: [1, 9, 1, 1] })
    expect(highest(line, stripData(stripOf(line), set(spiky)))).toBe(9)
  })

  it('tells stretches without ticks', () => {
    const data = stripData(
      stripOf(plan),
      set(series('cpu.user', [1, null, null, 1]), series('cpu.system', [1, 1, 1, 1])),
    )
    expect(gapsOf(data)).toEqual([{ start: 1, end: 3 }])
  })
})

describe('a strip of devices', () => {
  const queue: StripPlan = {
    id: 'queue',
    title: 'Requests in flight',
    note: '',
    resource: 'disk',
    unit: 'count',
    per: 'disk',
    traces: [{ measure: 'disk.queue', label: 'in flight', weight: 1 }],
  }
  const of = (device: string | null, mean: (number | null)[], total = 10): Series => ({
    ...series('disk.queue', mean),
    device,
    summary: {
      low: 0,
      mean: mean.reduce<number>((sum, value) => sum + (value ?? 0), 0) / mean.length,
      p95: 9,
      high: 9,
      total,
      coverage: 1,
      bin_s: null,
    },
  })
  const all = set(
    of(null, [9, 9, 9, 9]),
    of('sda', [1, 1, 1, 1]),
    of('sdb', [4, 4, null, 4]),
    of('sdc', [2, 2, null, 2]),
  )
  const lines = (devices: Devices): string[] =>
    stripData(stripOf(queue, { devices }), all).lines.map((line) => `${line.label} ${line.values.join(' ')}`)

  it('is of the machine, of the hottest, of each, or of those that are named', () => {
    expect(lines({ kind: 'machine' })).toEqual(['in flight 9 9 9 9'])
    expect(lines({ kind: 'each' })).toHaveLength(3)
    expect(lines({ kind: 'hottest', count: 2 }).sort()).toEqual(['sdb 4 4  4', 'sdc 2 2  2'])
    expect(lines({ kind: 'named', names: ['sda'] })).toEqual(['in flight 1 1 1 1'])
  })

  it('draws the heaviest darkest', () => {
    const { lines: drawn, found } = stripData(stripOf(queue, { devices: { kind: 'each' } }), all)
    const weight = (device: string): number => drawn.find((line) => line.device === device)?.weight ?? 0
    expect(weight('sdb')).toBeGreaterThan(weight('sdc'))
    expect(weight('sdc')).toBeGreaterThan(weight('sda'))
    expect(found).toBe(3)
  })

  it('adds up what is known, and takes means', () => {
    expect(lines({ kind: 'sum' })).toEqual(['in flight 7 7 1 7'])
    expect(lines({ kind: 'mean' })[0]).toMatch(/^in flight 2\.33/)
    const [sum] = stripData(stripOf(queue, { devices: { kind: 'sum' } }), all).lines
    expect([sum?.summary?.total, sum?.summary?.p95, sum?.summary?.high]).toEqual([30, null, 7])
  })
})

describe('heights', () => {
  it('are shares of the top, or of its decades', () => {
    expect(heightOf(5, 10, false)).toBe(0.5)
    expect(heightOf(20, 10, false)).toBe(1)
    expect([1, 0.1, 0.01, 0.0001, 0].map((value) => heightOf(value, 1, true))).toEqual([1, 0.75, 0.5, 0, 0])
  })

  it('count the time above a line', () => {
    const data = stripData(stripOf({ ...plan, traces: plan.traces.slice(0, 1) }), {
      ...set(series('cpu.user', [1, 5, null, 6])),
      times_ms: [[0, 1_000, 2_000, 4_000]],
    })
    expect(secondsAbove(data, data.lines[0]?.values ?? [], 4)).toBe(3)
  })
})
