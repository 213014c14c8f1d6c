import type { HostFacts, Use } from '../api/client'
import { spellLinkFacts } from '../devices/interfaces'
import { spellAmount } from '../model/amounts'
import { spellDuration } from '../model/clock'
import { spellCount } from '../model/numbers'

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
const NO_LIMIT = 'no limit'
const limit = (value: number | null | undefined): string =>
  typeof value === 'number' ? spellAmount(value, 'bytes') : NO_LIMIT
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

/** Services and control groups with what they used, the heaviest first, and what they may use. */
export function serviceTable(use: Use, groups: HostFacts['groups']): MachineTable {
  const limitsOf = (name: string): string => {
    const limits = groups?.[name.replace(/^\//, '')]
    if (!limits) return ''
    return [
      typeof limits.cores === 'number' ? spellAmount(limits.cores, 'cores') : null,
      typeof limits.memory_bytes === 'number' ? `memory ${bytes(limits.memory_bytes)}` : null,
      typeof limits.memory_high_bytes === 'number'
        ? `memory, slowed at ${bytes(limits.memory_high_bytes)}`
        : null,
      typeof limits.tasks === 'number' ? `${spellCount(limits.tasks)} tasks` : null,
      ...(limits.io ?? []),
    ]
      .filter(Boolean)
      .join(', ')
  }
  return {
    title: 'Services',
    columns: [
      ...left('service or control group'),
      ...['processes', 'cores', 'memory, mean', 'memory, high', 'read', 'written'].map((title) => ({
        title,
      })),
      ...left('limits'),
    ],
    rows: use.rows.map((row) => ({
      key: row.key,
      cells: [
        row.name,
        spellCount(row.processes),
        row.amounts.cores === null ? UNKNOWN : spellAmount(row.amounts.cores, 'cores'),
        bytes(row.amounts.memory_bytes),
        bytes(row.memory_high_bytes),
        bytes(row.amounts.read_bytes),
        bytes(row.amounts.written_bytes),
        limitsOf(row.name),
      ],
    })),
  }
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
      title: 'Swap',
      columns: [...left('swapped out to', 'kind', 'on disk'), { title: 'size' }],
      rows: Object.entries(facts.swaps ?? {}).map(([name, { kind, size_bytes: size, disk }]) => ({
        key: name,
        cells: [name, kind ?? UNKNOWN, disk ?? UNKNOWN, bytes(size)],
      })),
    },
    {
      title: 'Limits of control groups',
      columns: [
        ...left('group'),
        ...['cores', 'memory', 'slowed at', 'swap', 'tasks'].map((title) => ({ title })),
        ...left('input and output'),
      ],
      rows: Object.entries(facts.groups ?? {}).map(([name, limits]) => ({
        key: name,
        cells: [
          name,
          typeof limits.cores === 'number' ? spellAmount(limits.cores, 'cores') : NO_LIMIT,
          limit(limits.memory_bytes),
          limit(limits.memory_high_bytes),
          limit(limits.swap_bytes),
          typeof limits.tasks === 'number' ? spellCount(limits.tasks) : NO_LIMIT,
          limits.io?.join('; ') || NO_LIMIT,
        ],
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
