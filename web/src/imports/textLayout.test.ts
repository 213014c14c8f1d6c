import { describe, expect, it } from 'vitest'
import type { LookColumn, Meaning, TextLayout } from '../api/imports'
import { isHead, printedNames, readLines, roleOf, turned, withHead, withName } from './textLayout'

const layout: TextLayout = {
  format: 'reditus-text-layout',
  version: 1,
  shape: 'columns',
  head: ['when', 'press', 'wait'],
  times: [0],
  devices: [],
  begin: '',
  ignore: [],
  form: 'time',
  zone: 'UTC',
  date: null,
  names: {},
}

describe('the words of printed text', () => {
  it('turn from a value to when, to of what, and back', () => {
    const timed = turned(layout, 1)
    expect(timed.times).toEqual([0, 1])
    const device = turned(timed, 1)
    expect([device.times, device.devices, roleOf(device, 1)]).toEqual([[0], [1], 'device'])
    expect(turned(device, 1)).toEqual(layout)
  })

  it('follow another head as far as it has words', () => {
    expect(withHead({ ...layout, devices: [2] }, ['a', 'b'])).toMatchObject({ head: ['a', 'b'], devices: [] })
    expect(isHead(layout, ['when', 'press', 'wait'])).toBe(true)
    expect(isHead(layout, [])).toBe(false)
  })

  it('are left out by how lines begin', () => {
    expect(readLines('Mean:\n\n# ')).toEqual(['Mean:', '# '])
  })

  const level: Meaning = { counter: 'wait', attributes: {}, unit: '1', kind: 'level', scale: [1, 1] }
  const column = (name: string, device: string, meaning: Meaning | null): LookColumn => ({
    place: 0,
    name,
    device,
    cells: [device],
    values: [],
    meaning,
  })

  it('mean the same whatever they are of', () => {
    const seen = printedNames(
      [
        column('user', 'all', null),
        column('user', '0', level),
        column('wait', '', null),
        column('user', '1', level),
      ],
      {},
    )
    expect(seen.map(({ name, devices, cells }) => [name, devices, cells])).toEqual([
      ['user', ['all', '0', '1'], ['0']],
      ['wait', [''], ['']],
    ])
    expect(seen.map(({ meaning }) => meaning)).toEqual([level, null])
    const said = printedNames([column('user', '', level), column('wait', '', level)], {
      user: { ...level, kind: 'rate' },
      wait: null,
    })
    expect(said.map(({ meaning }) => meaning?.kind)).toEqual(['rate', undefined])
  })

  it('are called otherwise, left out, and guessed again', () => {
    const called = withName(layout, { name: 'wait', meaning: level }, { unit: 's' })
    expect(called.names).toEqual({ wait: { ...level, unit: 's' } })
    const without = withName(called, { name: 'wait', meaning: level }, null)
    expect(without.names).toEqual({ wait: null })
    expect(withName(without, { name: 'wait', meaning: null }, {}).names).toEqual({})
  })
})
