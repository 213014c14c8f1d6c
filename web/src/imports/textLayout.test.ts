import { describe, expect, it } from 'vitest'
import type { TextLayout } from '../api/imports'
import { isHead, readLines, roleOf, turned, withHead } from './textLayout'

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
})
