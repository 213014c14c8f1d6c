import { describe, expect, it } from 'vitest'
import type { Finding } from '../api/client'
import { chainOf, titleOf } from './chain'

const finding = (id: string, caused_by: string[], symptoms: string[]): Finding =>
  ({ id, title: id, device: id === 'disk' ? 'sdb' : null, caused_by, symptoms }) as unknown as Finding

describe('a chain', () => {
  const all = [
    finding('memory', [], ['swap', 'kill']),
    finding('swap', ['memory'], ['disk']),
    finding('disk', ['swap'], []),
    finding('kill', ['memory'], []),
    finding('alone', [], []),
  ]

  it('is the same from each of its links', () => {
    for (const item of all.slice(0, 4))
      expect(chainOf(item, all).map((stage) => `${stage.finding.id} ${stage.depth}`)).toEqual([
        'memory 0',
        'swap 1',
        'disk 2',
        'kill 1',
      ])
  })

  it('is none for what stands alone, and ends where links go round', () => {
    expect(chainOf(all[4] ?? finding('x', [], []), all)).toEqual([])
    const round = [finding('a', ['b'], ['b']), finding('b', ['a'], ['a'])]
    expect(chainOf(round[0] ?? finding('x', [], []), round)).toHaveLength(2)
  })

  it('tells devices', () => {
    expect(all.slice(1, 3).map(titleOf)).toEqual(['swap', 'disk, sdb'])
  })
})
