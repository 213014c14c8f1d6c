import { describe, expect, it } from 'vitest'
import { toInstant } from '../model/instant'
import { planOfMeasures, readDevice } from '../model/layouts'
import { aMarker } from '../testing/samples'
import {
  ALL,
  changeNotes,
  countedName,
  isTooNear,
  lanesOf,
  lineAt,
  NOTHING_READ,
  parseReading,
  readingQuery,
} from './lines'

const lines = (count: number) =>
  Array.from({ length: count }, (_, at) => aMarker({ ident: `line/${at}`, at: toInstant(at * 1000) }))
const log = (name: string, errors: number, count: number) => ({
  name,
  errors,
  lines: count,
  first: toInstant(0),
  last: toInstant(1),
})

describe('the line at a moment', () => {
  it('is the last one that is not after it', () => {
    expect([-1, 0, 999, 1000, 9000].map((at) => lineAt(lines(3), at))).toEqual([-1, 0, 0, 1, 2])
    expect(lineAt([], 5)).toBe(-1)
  })
  it('has others around it, or they are loaded', () => {
    expect(isTooNear(lines(100), 50_000, 100)).toBe(false)
    expect(isTooNear(lines(100), 3_000, 100)).toBe(true)
    expect(isTooNear(lines(100), 98_000, 100)).toBe(true)
    // All of the log is there: nothing more can be loaded.
    expect(isTooNear(lines(99), 98_000, 100)).toBe(false)
  })
})

describe('which logs are read', () => {
  it('stands in the link, and is found there again', () => {
    for (const reading of [
      NOTHING_READ,
      { panes: ['kernel', null], holding: '' },
      { panes: [ALL, 'a&b'], holding: 'time*out' },
    ] as const) {
      const query = readingQuery({ panes: [...reading.panes], holding: reading.holding })
      expect(parseReading(query)).toEqual({ panes: [...reading.panes], holding: reading.holding })
    }
    expect(readingQuery(NOTHING_READ)).toEqual({})
    expect(parseReading({ log: ['a', null, 7], holding: 3 })).toEqual({ panes: ['a', null], holding: '' })
  })
  it('has lanes for those with errors first', () => {
    expect(lanesOf([log('quiet', 0, 5), log('loud', 0, 900), log('bad', 2, 3)], 2)).toEqual(['bad', 'loud'])
  })
})

describe('what is counted', () => {
  const known = [{ name: 'log.lines', title: 'Log lines', unit: '1/s', resource: 'log', per: 'log' } as const]
  it('has a strip that says what its lines hold', () => {
    const name = countedName('log.lines', 'time+out @ 5~')
    const plan = planOfMeasures([name], known)
    expect(plan?.title).toBe('Log lines with “time+out @ 5~”')
    expect(plan?.per).toBe('log')
    for (const inTheWay of ['@', '+', '~', ';']) expect(name).not.toContain(inTheWay)
    expect(countedName('log.errors', '')).toBe('log.errors')
  })
  it('can be of one log', () => {
    expect(readDevice('log:access.log')).toEqual({ kind: 'log', name: 'access.log' })
  })
})

it('makes notes of what changed about the machine', () => {
  const [note] = changeNotes([{ at: 5_000, lines: ['/mnt came: ext4 of /dev/sdb1', 'sdb1 came: partition'] }])
  expect(note?.text).toBe('/mnt came: ext4 of /dev/sdb1; sdb1 came: partition')
  expect(note?.at).toBe(toInstant(5_000))
})
