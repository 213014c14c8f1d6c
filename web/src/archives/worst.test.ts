import { expect, it } from 'vitest'
import type { Finding } from '../api/client'
import { aFinding } from '../testing/samples'
import { worstFirst } from './worst'

const found = (kind: Finding['kind'], lost: number, more: Partial<Finding> = {}): Finding =>
  aFinding({ id: kind, kind, device: null, time_lost_s: lost, ...more })

it('puts what others came of in front of them, however little it hurt by itself', () => {
  const leak = found('memory.leak', 10, { symptoms: ['swap.thrashing'] })
  const swaps = found('swap.thrashing', 900, { caused_by: ['memory.leak'], symptoms: ['disk.saturated'] })
  const full = found('disk.saturated', 1_000, { caused_by: ['swap.thrashing'] })
  const other = found('cpu.saturated', 950)
  const listed = worstFirst([swaps, other, leak, full])
  expect(listed.map(({ finding }) => finding.id)).toEqual([
    'memory.leak',
    'disk.saturated',
    'cpu.saturated',
    'swap.thrashing',
  ])
})

it('names once what was there several times, with its worst time', () => {
  const slow = (id: string, lost: number, device: string): Finding => found('disk.slow', lost, { id, device })
  const listed = worstFirst([slow('a', 10, 'sdd'), slow('b', 500, 'sdd'), slow('c', 20, 'sde')])
  expect(listed.map(({ finding, times }) => [finding.id, times])).toEqual([
    ['b', 2],
    ['c', 1],
  ])
})
