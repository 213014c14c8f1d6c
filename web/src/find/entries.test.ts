import { describe, expect, it } from 'vitest'
import type { KnownMeasure } from '../model/layouts'
import { entriesFor } from './entries'

const measure = (name: string, title: string): KnownMeasure => ({
  name,
  title,
  unit: 's',
  resource: 'disk',
  per: 'disk',
})
const about = {
  measures: [
    measure('system.disk.operation_time', 'Time in requests'),
    measure('disk.wait', 'Wait per request'),
    measure('disk.read.wait', 'Wait per read request'),
    measure('cpu.waiting', 'Tasks waiting for a core'),
  ],
  newest: Date.parse('2026-11-13T22:00:00Z'),
  earliest: Date.parse('2026-11-12T00:00:00Z'),
  zone: 'UTC',
} as const
const found = (typed: string): string[] =>
  entriesFor(typed, { ...about, measures: [...about.measures] }).map((item) => `${item.kind} ${item.id}`)

describe('finding', () => {
  it('offers nothing for nothing', () => {
    expect(found('  ')).toEqual([])
  })

  it('takes words in any order, by name or title, measures before counters', () => {
    expect(found('request wait')).toEqual([
      'measure disk.wait',
      'measure disk.read.wait',
      'processes processes',
    ])
    expect(found('time')[0]).toBe('measure system.disk.operation_time')
  })

  it('reads times, and says when they lie outside', () => {
    expect(found('yesterday 14:05')[0]).toBe('time time')
    const [outside] = entriesFor('2026-11-01 10:00', { ...about, measures: [] })
    expect(outside?.note).toContain('outside this archive')
  })

  it('knows the layouts', () => {
    expect(found('network')).toContain('layout network')
  })
})
