import { describe, expect, it } from 'vitest'
import type { LookName, Meaning } from '../api/imports'
import { namesOf, withName } from './names'

describe('names', () => {
  const level: Meaning = { counter: 'wait', attributes: {}, unit: '1', kind: 'level', scale: [1, 1] }
  const named = (name: string, device: string, meaning: Meaning | null): LookName => ({
    name,
    device,
    cells: [device],
    values: [],
    meaning,
  })

  it('mean the same whatever they are of', () => {
    const seen = namesOf(
      [
        named('user', 'all', null),
        named('user', '0', level),
        named('wait', '', null),
        named('user', '1', level),
      ],
      {},
    )
    expect(seen.map(({ name, devices, cells }) => [name, devices, cells])).toEqual([
      ['user', ['all', '0', '1'], ['0']],
      ['wait', [''], ['']],
    ])
    expect(seen.map(({ meaning }) => meaning)).toEqual([level, null])
    const said = namesOf([named('user', '', level), named('wait', '', level)], {
      user: { ...level, kind: 'rate' },
      wait: null,
    })
    expect(said.map(({ meaning }) => meaning?.kind)).toEqual(['rate', undefined])
  })

  it('are called otherwise, left out, and guessed again', () => {
    const called = withName({}, { name: 'wait', meaning: level }, { unit: 's' })
    expect(called).toEqual({ wait: { ...level, unit: 's' } })
    const without = withName(called, { name: 'wait', meaning: level }, null)
    expect(without).toEqual({ wait: null })
    expect(withName(without, { name: 'wait', meaning: null }, {})).toEqual({})
  })
})
