import { describe, expect, it } from 'vitest'
import type { Archive } from '../api/client'
import { asRfc3339, byHost, toSecond } from './hosts'

const archive = (id: string, host: string, deleted: string | null = null): Archive =>
  ({ id, host: { id: host, name: `${host}!` }, deleted }) as Archive

describe('archives by host', () => {
  it('keeps the order in which hosts and archives come', () => {
    const hosts = byHost([archive('1', 'b'), archive('2', 'a'), archive('3', 'b')])
    expect(hosts.map((host) => [host.name, host.archives.map((item) => item.id)])).toEqual([
      ['b!', ['1', '3']],
      ['a!', ['2']],
    ])
  })

  it('does not count what waits to be removed', () => {
    expect(byHost([archive('1', 'a', '2026-11-12T09:00:00Z'), archive('2', 'a')])[0]?.kept).toBe(1)
  })
})

it('takes a time with a blank between day and hour', () => {
  expect(asRfc3339(' 2026-11-12 09:00:00Z')).toBe('2026-11-12T09:00:00Z')
})

it('rounds the ends of an archive outwards, so that nothing is left out', () => {
  expect([toSecond(1_500, Math.floor), toSecond(1_500, Math.ceil), toSecond(null, Math.ceil)]).toEqual([
    '1970-01-01T00:00:01Z',
    '1970-01-01T00:00:02Z',
    '',
  ])
})
