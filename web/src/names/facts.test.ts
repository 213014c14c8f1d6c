import { describe, expect, it } from 'vitest'
import type { HostFacts } from '../api/client'
import { changesOf, spellFacts } from './facts'

const facts: HostFacts = {
  cores: 8,
  memory_bytes: 2 ** 35,
  virtual: false,
  disks: { sda: { role: 'disk', on: [], rotational: true } },
  links: { eth0: { speed_bits_per_s: 1e9, physical: true } },
}

describe('facts', () => {
  it('are spelled in words, what is unknown is left out', () => {
    expect(spellFacts(facts)).toEqual([
      ['cores', '8'],
      ['memory', expect.stringMatching(/^32\.0\sGiB$/)],
      ['machine', 'real'],
      ['sda', 'disk, rotating'],
      ['eth0', expect.stringMatching(/^physical, 1\.00\sGbit\/s$/)],
    ])
    expect(spellFacts({})).toEqual([])
  })

  it('tell what came, went and became another, the newest first', () => {
    const later: HostFacts = { ...facts, cores: 4, disks: { md0: { role: 'volume', on: ['sda', 'sdb'] } } }
    const history = [
      { since: '2026-11-12T09:00:00Z', facts },
      { since: '2026-11-12T10:00:00Z', facts: later },
      { since: '2026-11-12T11:00:00Z', facts: { ...later, cores: 8 } },
    ]
    expect(changesOf(history).map((item) => item.lines)).toEqual([
      ['cores: 4 → 8'],
      ['cores: 8 → 4', 'md0 came: volume on sda, sdb', 'sda went: disk, rotating'],
    ])
    expect(changesOf(history.slice(0, 1))).toEqual([])
  })
})
