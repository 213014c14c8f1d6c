import { expect, it } from 'vitest'
import type { KnownMeasure } from '../model/layouts'
import { crowdsOf, stripsOfFinding } from './proof'

const known: KnownMeasure[] = [
  { name: 'disk.wait', title: 'Wait per request', unit: 's', resource: 'disk', per: 'disk' },
  { name: 'stall.io.some', title: 'Tasks stalled on I/O', unit: 'share', resource: 'disk', per: null },
]
const evidence = (measure: string, device: string | null, threshold: number | null) => ({
  measure,
  device,
  threshold,
  value: 1,
  unit: 's' as const,
  reads: 'mean, at least',
})

it('makes a strip of each measure, of the device, with the threshold as its line', () => {
  const strips = stripsOfFinding(
    {
      evidence: [
        evidence('disk.wait', 'sdd', 0.04),
        evidence('stall.io.some', null, 0.1),
        evidence('disk.wait', 'sdd', 0.04),
      ],
    },
    known,
  )
  expect(strips.map((strip) => [strip.plan.title, strip.devices, strip.line])).toEqual([
    ['Wait per request', { kind: 'named', names: ['sdd'] }, 0.04],
    ['Tasks stalled on I/O', { kind: 'machine' }, 0.1],
  ])
})

it('leaves out what is no measure', () => {
  expect(stripsOfFinding({ evidence: [evidence('no.such', null, null)] }, known)).toEqual([])
})

it('puts processes of one name together, the greatest part first', () => {
  const processes = [
    { pid: 3, name: 'reader', share: 0.3 },
    { pid: 1, name: 'stitch', share: 0.25 },
    { pid: 2, name: 'stitch', share: 0.25 },
    { pid: 4, name: null, share: 0.1 },
  ]
  expect(crowdsOf(processes).map((item) => [item.name, item.pids.length, item.share])).toEqual([
    ['stitch', 2, 0.5],
    ['reader', 1, 0.3],
    ['a process without a name', 1, 0.1],
  ])
})
