import { describe, expect, it } from 'vitest'
import { planNamed, planOfMeasures, readDevice, stripsOf, LAYOUTS, type KnownMeasure } from './layouts'
import { clampHeight, namesOf, namesOfAll, readStrips, stripOf, writeStrips } from './strips'

const known: KnownMeasure[] = [
  { name: 'disk.wait', title: 'Wait per request', unit: 's', resource: 'disk', per: 'disk' },
  { name: 'disk.read.wait', title: 'Wait per read request', unit: 's', resource: 'disk', per: 'disk' },
  {
    name: 'net.receive.rate',
    title: 'Bytes received',
    unit: 'bytes/s',
    resource: 'network',
    per: 'interface',
  },
  { name: 'process.busy', title: 'Process, busy', unit: 'cores', resource: 'processor', per: null },
]
const named = (name: string): ReturnType<typeof planNamed> => planNamed(name, known)

describe('strips in a link', () => {
  it.each([
    'cores;stall-cpu',
    'queue@top5;wait@each;disk@sda,sdb',
    'cores@3',
    'memory~h140~top1073741824;queue@sum~log;wait@mean~match~line0.05',
    'load~fold',
    'disk.wait+disk.read.wait@sdb',
    'process.busy{name=stitch,pid=485,start=12}',
  ])('%s comes back as it was', (text) => {
    expect(writeStrips(readStrips(text, named))).toBe(text)
  })

  it('leave out what is not known, and keep sizes within bounds', () => {
    const [only, ...rest] = readStrips('nothing;no.such.measure;memory~h9999~top-3~line', named)
    expect(rest).toEqual([])
    expect(only?.height).toBe(clampHeight(9999))
    expect([only?.edge.kind, only?.line]).toEqual(['auto', null])
  })

  it('do not give layers to several devices', () => {
    expect(readStrips('cores@each', named)[0]?.devices.kind).toBe('machine')
  })
})

describe('what strips ask for', () => {
  const plan = planOfMeasures(['disk.wait'], known)
  it('is the machine, every device, or those that are named', () => {
    if (!plan) throw new Error('no plan')
    expect(namesOf(stripOf(plan))).toEqual(['disk.wait'])
    expect(namesOf(stripOf(plan, { devices: { kind: 'hottest', count: 3 } }))).toEqual(['disk.wait@*'])
    expect(namesOf(stripOf(plan, { devices: { kind: 'named', names: ['sda'] } }))).toEqual(['disk.wait@sda'])
    expect(namesOfAll([stripOf(plan), stripOf(plan), stripOf(plan, { folded: true })])).toEqual(['disk.wait'])
  })
})

describe('strips of any measures', () => {
  it('keep to one unit, and bits for links', () => {
    const plan = planOfMeasures(['disk.wait', 'disk.read.wait', 'net.receive.rate'], known)
    expect(plan?.traces.map((trace) => trace.measure)).toEqual(['disk.wait', 'disk.read.wait'])
    expect(planOfMeasures(['net.receive.rate'], known)?.unit).toBe('bits/s')
    expect(planOfMeasures(['no.such'], known)).toBeNull()
    expect(planOfMeasures(['process.busy{name=stitch,pid=4,start=1}'], known)?.title).toBe('stitch, busy')
  })
})

describe('layouts', () => {
  it('each hold strips, and one device has those of its kind', () => {
    for (const { id, rare } of LAYOUTS)
      if (id !== 'device' && id !== 'others')
        expect(stripsOf(id, null).length, id).toBeGreaterThan(rare ? 3 : 6)
    const device = readDevice('disk:sdb')
    const strips = stripsOf('device', device)
    expect(strips.length).toBeGreaterThan(5)
    for (const strip of strips) expect(strip.devices).toEqual({ kind: 'named', names: ['sdb'] })
    expect(readDevice('printer:lp0')).toBeNull()
  })

  it('show what others count, each of its devices', () => {
    const other = { unit: 'count', resource: 'other' } as const
    const strips = stripsOf('others', null, [
      { name: 'other.jobs%2C%20waiting', title: 'jobs, waiting', per: 'other', ...other },
      { name: 'other.orders', title: 'orders', per: null, ...other },
      { name: 'cpu.busy', title: 'Cores busy', per: 'core', unit: 'cores', resource: 'processor' },
    ])
    expect(strips.map(({ plan, devices }) => [plan.title, devices.kind])).toEqual([
      ['jobs, waiting', 'each'],
      ['orders', 'machine'],
    ])
  })
})
