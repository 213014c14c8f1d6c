import { describe, expect, it } from 'vitest'
import { aKnownMeasure } from '../testing/samples'
import { likeness, nearTo, suggested } from './suggestions'

const MEASURES = [
  aKnownMeasure('disk.wait', 'Wait per request'),
  aKnownMeasure('net.retransmitted', 'Retransmitted segments'),
  aKnownMeasure('cpu.steal', 'Stolen time'),
]

describe('what may be meant', () => {
  it('before anything is typed: where it hurt, what was found before, the layouts', () => {
    const span = { start: Date.UTC(2026, 10, 12, 3), end: Date.UTC(2026, 10, 12, 4) }
    const entries = suggested(
      [{ id: 'one', title: 'Disk slow', span }],
      ['disk.wait@vdc', 'gone.measure'],
      MEASURES,
      'UTC',
    )
    expect(entries.slice(0, 2)).toMatchObject([
      { kind: 'span', title: 'Disk slow', note: '12 Nov 03:00:00 – 04:00:00', span },
      { kind: 'measure', id: 'disk.wait@vdc', title: 'Wait per request of vdc', device: 'vdc' },
    ])
    expect(entries.slice(2).every((entry) => entry.kind === 'layout')).toBe(true)
  })

  it.each([
    ['retransmited', 'net.retransmitted'],
    ['waitt', 'disk.wait'],
    ['cpu.stael', 'cpu.steal'],
  ])('by “%s” is near to it', (typed, name) => {
    expect(nearTo(typed, MEASURES)[0]?.id).toBe(name)
  })

  it('is nothing for what is like nothing', () => {
    expect(nearTo('xyzzy', MEASURES)).toEqual([])
    expect([likeness('same', 'same'), likeness('ab', 'cd'), likeness('', '')]).toEqual([1, 0, 0])
  })
})
