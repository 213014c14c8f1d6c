import { describe, expect, it } from 'vitest'
import { aKnownMeasure } from '../testing/samples'
import type { KnownMeasure } from '../model/layouts'
import { entriesFor } from './entries'

const about = {
  measures: [
    aKnownMeasure('system.disk.operation_time', 'Time in requests'),
    aKnownMeasure('disk.wait', 'Wait per request'),
    aKnownMeasure('disk.read.wait', 'Wait per read request'),
    aKnownMeasure('cpu.waiting', 'Tasks waiting for a core'),
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

  it('reads stretches', () => {
    const [span] = entriesFor('12 Nov 10:00 – 12:00', { ...about, measures: [] })
    expect(span).toMatchObject({
      kind: 'span',
      span: { start: Date.parse('2026-11-12T10:00:00Z'), end: Date.parse('2026-11-12T12:00:00Z') },
    })
  })
})

describe('finding by the trade\u2019s words', () => {
  const named = (
    name: string,
    title: string,
    devices: string[] = [],
  ): KnownMeasure & { devices: string[] } => ({
    ...aKnownMeasure(name, title),
    devices,
  })
  const measures = [
    named('disk.wait', 'Wait per request', ['sda']),
    named('disk.busy', 'Disk busy', ['sda']),
    named('cpu.busy', 'Processor, busy', ['0', '5']),
    named('disk.read.rate', 'Read rate'),
    named('disk.read.requests', 'Read requests'),
    named('net.tcp.retransmitted', 'TCP retransmissions'),
    named('stall.io.some', 'Some tasks stalled on I/O'),
    named('cpu.switches', 'Switches between tasks'),
    named('memory.dirty', 'Dirty pages'),
    named('paging.oom_kills', 'Out-of-memory kills'),
    named('system.memory.node.usage', 'Memory by node'),
    named('system.network.icmp.in', 'ICMP messages'),
    named('system.network.ip6.in', 'IP6 packets'),
    named('system.network.linux.protocol', 'Protocol events'),
  ]
  it.each([
    ['latency', 'disk.wait'],
    ['utilization', 'disk.busy'],
    ['cpu utilisation', 'cpu.busy'],
    ['throughput', 'disk.read.rate'],
    ['IOPS', 'disk.read.requests'],
    ['retransmissions', 'net.tcp.retransmitted'],
    ['retransmit', 'net.tcp.retransmitted'],
    ['pressure', 'stall.io.some'],
    ['core 5', 'cpu.busy@5'],
    ['cpu.busy@5', 'cpu.busy@5'],
    ['context switches', 'cpu.switches'],
    ['dirty', 'memory.dirty'],
    ['OOM', 'paging.oom_kills'],
    ['numa', 'system.memory.node.usage'],
    ['icmp', 'system.network.icmp.in'],
    ['ipv6', 'system.network.ip6.in'],
    ['icmp', 'system.network.linux.protocol{linux.network.protocol=icmp}'],
    ['ipv6', 'system.network.linux.protocol{linux.network.protocol=ip6}'],
    ['disk sda', 'disk.busy@sda'],
  ])('%s', (typed, expected) => {
    const answers = entriesFor(typed, { ...about, measures }).filter((item) => item.kind === 'measure')
    expect(answers.map((item) => item.id)).toContain(expected)
  })
})
