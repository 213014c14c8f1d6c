import type { HostFacts } from '../api/client'
import { spellLinkFacts } from '../devices/interfaces'
import { spellAmount } from '../model/amounts'
import { spellDuration } from '../model/clock'

export type Pair = [name: string, value: string]

export interface MachineTable {
  title: string
  columns: { title: string; left?: boolean }[]
  rows: { key: string; cells: string[] }[]
}

const UNKNOWN = '–'
const known = (pairs: [string, string | null | undefined][]): Pair[] =>
  pairs.filter((pair): pair is Pair => typeof pair[1] === 'string' && pair[1] !== '')
const bytes = (value: number | null | undefined): string =>
  typeof value === 'number' ? spellAmount(value, 'bytes') : UNKNOWN
const hertz = (value: number | null | undefined): string | null =>
  typeof value === 'number' ? spellAmount(value, 'Hz') : null
const degrees = (value: number | null | undefined): string =>
  typeof value === 'number' ? spellAmount(value, '°C') : UNKNOWN
const left = (...titles: string[]): MachineTable['columns'] => titles.map((title) => ({ title, left: true }))

/** What the machine is, in words: the whole, its processor, its memory. What is not known is left out. */
export function machinePairs(facts: HostFacts, uptimeS: number | null): Pair[] {
  const hardware = facts.hardware ?? {}
  const { cores } = facts
  const [sockets, physical] = [hardware.sockets, hardware.physical_cores]
  const [lowest, highest] = [hertz(hardware.lowest_hz), hertz(hardware.highest_hz)]
  return known([
    ['machine', hardware.product],
    ['board', hardware.board],
    ['hypervisor', facts.virtual === true ? 'runs under one' : facts.virtual === false ? 'none' : null],
    ['processor', facts.model],
    [
      'cores',
      [
        sockets ? `${sockets} ${sockets === 1 ? 'socket' : 'sockets'}` : null,
        physical ? `${physical} cores` : null,
        cores ? `${cores} ${physical ? 'threads' : 'cores'}` : null,
      ]
        .filter(Boolean)
        .join(', '),
    ],
    ['speed', lowest && highest ? `${lowest} to ${highest}` : highest ? `up to ${highest}` : null],
    ['caches', hardware.caches?.join(', ')],
    [
      'memory',
      typeof facts.memory_bytes === 'number' ? `${bytes(facts.memory_bytes)} that the kernel manages` : null,
    ],
    ['kernel', facts.kernel],
    ['boot', facts.boot],
    ['uptime', uptimeS === null ? null : `${spellDuration(uptimeS)} at the end of this archive`],
    ['clock', facts.timezone],
    ['firmware', hardware.problem ? `could not be read to its end: ${hardware.problem}` : null],
  ])
}

/** The machine's parts as tables; those that it has none of are left out. */
export function machineTables(facts: HostFacts): MachineTable[] {
  const modules = facts.hardware?.modules ?? []
  const tables: MachineTable[] = [
    {
      title: 'Memory modules',
      columns: [...left('slot', 'kind', 'maker'), { title: 'size' }, { title: 'transfers a second' }],
      rows: modules.map((module, at) => ({
        key: `${at} ${module.slot}`,
        cells: [
          module.slot,
          module.kind ?? UNKNOWN,
          module.maker ?? UNKNOWN,
          module.size_bytes === 0 ? 'empty' : bytes(module.size_bytes),
          typeof module.speed_per_s === 'number' ? `${module.speed_per_s / 1e6} M` : UNKNOWN,
        ],
      })),
    },
    {
      title: 'Disks',
      columns: [...left('disk', 'what', 'model', 'stands on', 'scheduler'), { title: 'size' }],
      rows: Object.entries(facts.disks ?? {}).map(([name, disk]) => ({
        key: name,
        cells: [
          name,
          disk.role === 'disk' && typeof disk.rotational === 'boolean'
            ? disk.rotational
              ? 'rotating disk'
              : 'disk without moving parts'
            : disk.role,
          disk.model ?? UNKNOWN,
          disk.on?.join(', ') ?? '',
          disk.scheduler ?? UNKNOWN,
          bytes(disk.size_bytes),
        ],
      })),
    },
    {
      title: 'Interfaces',
      columns: left('interface', 'what is known'),
      rows: Object.entries(facts.links ?? {}).map(([name, link]) => ({
        key: name,
        cells: [name, spellLinkFacts(link) || UNKNOWN],
      })),
    },
    {
      title: 'Filesystems',
      columns: left('mounted at', 'device', 'kind', 'options'),
      rows: Object.entries(facts.mounts ?? {}).map(([mount, { device, kind, options }]) => ({
        key: mount,
        cells: [mount, device ?? UNKNOWN, kind ?? UNKNOWN, options ?? UNKNOWN],
      })),
    },
    {
      title: 'Listening ports',
      columns: [...left('protocol', 'address'), { title: 'port' }, ...left('program', 'user')],
      rows: (facts.listening ?? []).map(({ protocol, address, port, program, user }, at) => ({
        key: `${at} ${protocol} ${address} ${port}`,
        cells: [protocol, address, String(port), program ?? 'not readable', user ?? UNKNOWN],
      })),
    },
    {
      title: 'Sensors',
      columns: [...left('sensor', 'as the kernel calls it'), { title: 'high' }, { title: 'critical' }],
      rows: Object.entries(facts.sensors ?? {}).map(([name, { label, high, critical }]) => ({
        key: name,
        cells: [label ?? UNKNOWN, name, degrees(high), degrees(critical)],
      })),
    },
  ]
  return tables.filter((table) => table.rows.length)
}
