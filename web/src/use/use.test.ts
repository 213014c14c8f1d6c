import { describe, expect, it } from 'vitest'
import type { Use, UseRow } from '../api/client'
import { planOfUse, readDevice, stripsOf, writeDevice } from '../model/layouts'
import { namesOf, readStrips, stripOf, writeStrips } from '../model/strips'
import { readProcess, spellWho, whoOf } from '../model/who'
import { COLUMNS, scaleOfColumn, spellShare, valueOf, type UseColumn } from './columns'

const amounts: UseRow['amounts'] = {
  processor_s: 36_000,
  system_s: 60,
  cores: 0.5,
  memory_bytes: 2 ** 30,
  read_bytes: 0,
  written_bytes: 2 ** 20,
  major_faults: 3,
  minor_faults: 4,
  blocked_s: 5,
  waited_s: 0,
  threads: 6,
}
const row: UseRow = {
  key: '31.7.ab',
  name: 'stitch',
  processes: 1,
  pid: 31,
  start: 7,
  user: 'lab',
  group: '/lab',
  parent: 1,
  parent_name: null,
  core: 2,
  arguments: null,
  first: '2026-11-12T09:00:00Z',
  last: '2026-11-12T10:00:00Z',
  amounts,
  memory_high_bytes: 2 ** 31,
  memory_growth_bytes: -5,
  share: 0.5,
  curve: [1, null, 2],
}
const use = { by: 'process', sort: 'processor', rows: [row], not_attributed: amounts } as unknown as Use
const column = (key: string): UseColumn => {
  const found = COLUMNS.find((item) => item.key === key)
  if (!found) throw new Error(`no column ${key}`)
  return found
}

describe('a table of use', () => {
  it('tells long times in hours, and bytes in their own unit', () => {
    expect(scaleOfColumn(use, column('processor'))).toMatchObject({ unit: 'h', by: 3600 })
    expect(scaleOfColumn(use, column('blocked'))).toMatchObject({ unit: 's' })
    expect(scaleOfColumn(use, column('memory')).unit).toBe('GiB')
  })

  it('tells of rows what the rest of the machine has not', () => {
    expect(valueOf(row, column('growth'))).toBe(-5)
    expect(column('growth').of(amounts)).toBeNull()
  })

  it('says that a small share is not none', () => {
    expect([spellShare(0), spellShare(0.001), spellShare(0.5), spellShare(null)]).toEqual([
      '0',
      '<1',
      '50',
      '–',
    ])
  })
})

describe('a strip by those who used it', () => {
  const name = 'use.processor{by=program}'

  it('asks for its layers, and comes back from a link', () => {
    const plan = planOfUse(name)
    if (!plan) throw new Error('no plan')
    expect(plan).toMatchObject({ byUser: true, stackedTo: name, unit: 'cores' })
    const strip = stripOf(plan)
    expect(namesOf(strip)).toEqual([`${name}@*`, `${name}@*`])
    const again = readStrips(writeStrips([strip]), planOfUse)
    expect(again.map(({ plan: { id }, devices }) => [id, devices.kind])).toEqual([[name, 'each']])
  })

  it('is none for what cannot be used, nor in ways that there are not', () => {
    expect(planOfUse('use.heat{by=program}')).toBeNull()
    expect(planOfUse('use.read{by=colour}')).toBeNull()
  })
})

describe('one of those who used it, alone', () => {
  it.each(['a user', '50% of it, {all}@home', 'ünïcode/;+~'])('keeps its name %s in a link', (spoken) => {
    const who = { kind: 'user', name: spoken } as const
    expect(readDevice(writeDevice(who))).toEqual(who)
    const strips = stripsOf('device', who)
    const again = readStrips(writeStrips(strips), planOfUse)
    expect(again.map(({ plan }) => plan.title).filter((title) => title.startsWith(spoken))).toHaveLength(6)
  })

  it('is a process by number, start and name', () => {
    const who = whoOf(use, row)
    expect(who).toEqual({ kind: 'process', name: '31,7,stitch' })
    expect(who && spellWho(who)).toBe('stitch 31')
    expect(readProcess('no number')).toBeNull()
    expect(stripsOf('device', who).map(({ plan }) => plan.id)).toContain(
      'process.busy{name=stitch,pid=31,start=7}',
    )
  })
})
