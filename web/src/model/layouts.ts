import type { Unit as ApiUnit } from '../api/client'
import type { Unit } from './amounts'
import { isWho, readProcess, type WhoKind } from './who'
import {
  MOST_STRIPS,
  stripOf,
  type DeviceClass,
  type Devices,
  type Resource,
  type Strip,
  type StripPlan,
  type Trace,
} from './strips'

/* Ready strips: short to write down, one line each. */

const trace = (measure: string, label: string, weight = 1, dashed = false): Trace => ({
  measure,
  label,
  weight,
  ...(dashed ? { dashed } : {}),
})
const line = (
  id: string,
  title: string,
  note: string,
  resource: Resource,
  unit: Unit,
  measure: string,
  more: Partial<StripPlan> = {},
): StripPlan => ({
  id,
  title,
  note,
  resource,
  unit,
  traces: [trace(measure, title.toLowerCase())],
  ...more,
})
const pair = (
  id: string,
  title: string,
  note: string,
  resource: Resource,
  unit: Unit,
  [first, second]: [[string, string], [string, string]],
  more: Partial<StripPlan> = {},
): StripPlan => ({
  id,
  title,
  note,
  resource,
  unit,
  traces: [trace(...first), trace(...second, 0.7, true)],
  ...more,
})
const SHARE_OF_TIME = 'share of time a task waited'
const core = { per: 'core' } as const
const disk = { per: 'disk' } as const
const link = { per: 'interface' } as const
const mount = { per: 'filesystem' } as const
const sensor = { per: 'sensor' } as const
const log = { per: 'log' } as const

const PLANS: StripPlan[] = [
  {
    id: 'cores',
    title: 'Cores busy',
    note: '',
    resource: 'processor',
    unit: 'cores',
    stackedTo: 'cpu.busy',
    top: 'cores',
    ...core,
    traces: [
      trace('cpu.user', 'programs', 0.75),
      trace('cpu.nice', 'low priority', 0.3),
      trace('cpu.system', 'kernel', 1),
      trace('cpu.interrupt', 'interrupts', 0.9),
      trace('cpu.softirq', 'soft interrupts', 0.9),
    ],
  },
  line('core', 'Each core', 'busy, of one core', 'processor', 'cores', 'cpu.busy', core),
  line('hottest', 'Hottest core', 'busy share of the busiest', 'processor', 'share', 'cpu.hottest', { top: 'whole' }),
  line('waiting', 'Waiting for a core', 'tasks, on average', 'processor', 'tasks', 'cpu.waiting', core),
  line('stall-cpu', 'Stalled for a core', SHARE_OF_TIME, 'processor', 'share', 'stall.cpu.some', { top: 'whole' }),
  line('steal', 'Stolen', 'by the hypervisor', 'processor', 'cores', 'cpu.steal', core),
  line('iowait', 'Idle, I/O awaited', 'idle time, no verdict', 'processor', 'cores', 'cpu.iowait', core),
  pair('irq', 'Device work', 'soft interrupts solid, hard dashed', 'processor', 'cores',
    [['cpu.softirq', 'soft'], ['cpu.interrupt', 'hard']], core),
  {
    id: 'averages',
    title: 'Load',
    note: 'over 1 min solid, 5 dashed, 15 dotted; per core: 1 is a task for each',
    resource: 'processor',
    unit: 'tasks',
    traces: [
      trace('cpu.load.1m.per_core', '1 min'),
      trace('cpu.load.5m.per_core', '5 min', 0.75, true),
      trace('cpu.load.15m.per_core', '15 min', 0.5),
    ],
  },
  line('speed', 'Core speed', 'an idle core may be slow to save power', 'processor', 'Hz', 'cpu.speed', core),
  line('throttles', 'Thermal throttling', 'slowed to stay within limits', 'processor', '1/s', 'cpu.throttles'),
  line('temperature', 'Temperature', '', 'processor', '°C', 'heat.temperature', sensor),
  line('fan', 'Fans', '', 'processor', '1/min', 'heat.fan', sensor),
  line('power', 'Power', '', 'processor', 'W', 'heat.power', sensor),
  pair('load', 'Load, split', 'runnable solid, blocked dashed', 'processor', 'tasks',
    [['cpu.runnable', 'runnable'], ['cpu.blocked', 'blocked']]),
  line('switches', 'Context switches', '', 'processor', '1/s', 'cpu.switches'),
  line('interrupts', 'Interrupts', '', 'processor', '1/s', 'cpu.interrupts'),
  line('forks', 'Forks', '', 'processor', '1/s', 'cpu.forks'),
  line('memory', 'Available memory', 'what programs can still get', 'memory', 'bytes', 'memory.available', { top: 'memory' }),
  {
    id: 'parts',
    title: 'Where memory is',
    note: '',
    resource: 'memory',
    unit: 'bytes',
    stackedTo: 'memory.total',
    top: 'memory',
    traces: [
      trace('memory.programs', 'programs', 1),
      trace('memory.cache', 'cache', 0.35),
      trace('memory.kernel', 'kernel', 0.7),
      trace('memory.shared', 'shared', 0.85),
      trace('memory.huge', 'huge pages', 0.6),
      trace('memory.other', 'other', 0.5),
      trace('memory.free', 'free', 0.08),
    ],
  },
  {
    id: 'activity',
    title: 'Memory by activity',
    note: 'what is not used goes first',
    resource: 'memory',
    unit: 'bytes',
    traces: [
      trace('memory.active.programs', 'programs, active'),
      trace('memory.inactive.programs', 'programs, inactive', 0.8, true),
      trace('memory.active.cache', 'cache, active', 0.6),
      trace('memory.inactive.cache', 'cache, inactive', 0.45, true),
    ],
  },
  pair('slab', 'Slab', 'reclaimable solid, fixed dashed', 'memory', 'bytes',
    [['memory.slab.reclaimable', 'reclaimable'], ['memory.slab.fixed', 'fixed']]),
  pair('huge', 'Huge pages', 'set aside solid, of programs dashed', 'memory', 'bytes',
    [['memory.huge', 'set aside'], ['memory.huge.transparent', 'of programs']]),
  pair('swap-disk', 'Disk of swap', 'read solid, written dashed', 'swap', 'bytes/s',
    [['swap.disk.read', 'read'], ['swap.disk.write', 'written']]),
  line('swap-wait', 'Wait on swap’s disk', 'per request', 'swap', 's', 'swap.disk.wait'),
  line('swap-device', 'Swap by device', 'what each holds', 'swap', 'bytes', 'swap.device.used', disk),
  line('stall-memory', 'Stalled on memory', SHARE_OF_TIME, 'memory', 'share', 'stall.memory.some', { top: 'whole' }),
  line('faults', 'Major faults', 'read from disk or swap', 'memory', '1/s', 'memory.faults.major'),
  pair('reclaim', 'Pages scanned', 'by the kernel solid, by tasks dashed', 'memory', '1/s',
    [['memory.reclaim.background', 'background'], ['memory.reclaim.direct', 'direct']]),
  line('refaults', 'Refaults', 'dropped, then read again', 'memory', '1/s', 'memory.refaults'),
  pair('owed', 'Dirty pages', 'dirty solid, under way dashed', 'memory', 'bytes',
    [['memory.dirty', 'dirty'], ['memory.writeback', 'under way']]),
  pair('swap', 'Swap traffic', 'in solid, out dashed', 'swap', 'bytes/s', [['swap.in', 'in'], ['swap.out', 'out']]),
  line('held', 'Swap used', 'parked, no problem by itself', 'swap', 'bytes', 'swap.held'),
  pair('disk', 'Disk traffic', 'read solid, write dashed', 'disk', 'bytes/s',
    [['disk.read.rate', 'read'], ['disk.write.rate', 'write']], disk),
  pair('requests', 'Disk requests', 'reads solid, writes dashed', 'disk', '1/s',
    [['disk.read.requests', 'reads'], ['disk.write.requests', 'writes']], disk),
  line('wait', 'Wait per request', 'reads and writes', 'disk', 's', 'disk.wait', disk),
  pair('waits', 'Wait, each way', 'reads solid, writes dashed', 'disk', 's',
    [['disk.read.wait', 'reads'], ['disk.write.wait', 'writes']], disk),
  line('queue', 'Requests in flight', '', 'disk', 'count', 'disk.queue', disk),
  line('busy', 'Disk busy', 'never idle; not: at its limit', 'disk', 'share', 'disk.busy', { top: 'whole', ...disk }),
  pair('sizes', 'Size of a request', 'reads solid, writes dashed', 'disk', 'bytes',
    [['disk.read.size', 'reads'], ['disk.write.size', 'writes']], disk),
  line('stall-io', 'Stalled on I/O', SHARE_OF_TIME, 'disk', 'share', 'stall.io.some', { top: 'whole' }),
  line('fs-use', 'Filesystem use', 'of what programs may take', 'disk', 'share', 'filesystem.use', { top: 'whole', ...mount }),
  line('fs-free', 'Space free', 'what can still be written', 'disk', 'bytes', 'filesystem.free', mount),
  line('fs-used', 'Space used', '', 'disk', 'bytes', 'filesystem.used', mount),
  line('fs-inodes', 'Inode use', 'without free ones no file can be made', 'disk', 'share', 'filesystem.inodes', { top: 'whole', ...mount }),
  pair('ip', 'IPv4', 'received solid, sent dashed', 'network', '1/s',
    [['net.ip.received', 'received'], ['net.ip.sent', 'sent']]),
  pair('ip6', 'IPv6', 'received solid, sent dashed', 'network', '1/s',
    [['net.ip6.received', 'received'], ['net.ip6.sent', 'sent']]),
  pair('tcp', 'TCP segments', 'received solid, sent dashed', 'network', '1/s',
    [['net.tcp.received', 'received'], ['net.tcp.sent', 'sent']]),
  pair('connections', 'TCP connections made', 'accepted solid, opened dashed', 'network', '1/s',
    [['net.tcp.accepted', 'accepted'], ['net.tcp.opened', 'opened']]),
  pair('udp', 'UDP datagrams', 'received solid, sent dashed', 'network', '1/s',
    [['net.udp.received', 'received'], ['net.udp.sent', 'sent']]),
  pair('icmp', 'ICMP messages', 'received solid, sent dashed', 'network', '1/s',
    [['net.icmp.received', 'received'], ['net.icmp.sent', 'sent']]),
  {
    id: 'sockets',
    title: 'TCP sockets',
    note: 'by state',
    resource: 'network',
    unit: 'count',
    traces: [
      trace('net.tcp.established', 'established'),
      trace('net.tcp.time_wait', 'TIME-WAIT', 0.75, true),
      trace('net.tcp.orphaned', 'orphaned', 0.5),
    ],
  },
  {
    id: 'socket-states',
    title: 'TCP sockets, up and down',
    note: 'CLOSE-WAIT that only grows: a program forgets to close',
    resource: 'network',
    unit: 'count',
    traces: [
      trace('net.tcp.close_wait', 'CLOSE-WAIT'),
      trace('net.tcp.syn_sent', 'SYN-SENT', 0.8, true),
      trace('net.tcp.syn_received', 'SYN-RECEIVED', 0.6),
      trace('net.tcp.fin_wait_1', 'FIN-WAIT-1', 0.5, true),
      trace('net.tcp.fin_wait_2', 'FIN-WAIT-2', 0.45),
      trace('net.tcp.last_ack', 'LAST-ACK', 0.4, true),
    ],
  },
  pair('network', 'Network traffic', 'received solid, sent dashed', 'network', 'bits/s',
    [['net.receive.rate', 'received'], ['net.send.rate', 'sent']], link),
  pair('use', 'Link use', 'received solid, sent dashed', 'network', 'share',
    [['net.receive.use', 'received'], ['net.send.use', 'sent']], { top: 'whole', ...link }),
  pair('packets', 'Packets', 'received solid, sent dashed', 'network', '1/s',
    [['net.receive.packets', 'received'], ['net.send.packets', 'sent']], link),
  pair('errors', 'Interface errors', 'received solid, sent dashed', 'network', '1/s',
    [['net.receive.errors', 'received'], ['net.send.errors', 'sent']], link),
  pair('drops', 'Dropped packets', 'received solid, sent dashed', 'network', '1/s',
    [['net.receive.drops', 'received'], ['net.send.drops', 'sent']], link),
  line('resent', 'Sent again', 'share of TCP segments', 'network', 'share', 'net.tcp.resent'),
  pair('opens', 'Connections in trouble', 'cut off solid, not opened dashed', 'network', '1/s',
    [['net.tcp.resets', 'cut off'], ['net.tcp.failed_opens', 'not opened']]),
  pair('overflows', 'Receive buffer overruns', 'listen queues solid, UDP dashed', 'network', '1/s',
    [['net.tcp.listen_overflows', 'listen'], ['net.udp.buffer_errors', 'UDP']]),
  line('log-lines', 'Log lines', 'logged a second', 'log', '1/s', 'log.lines', log),
  line('log-errors', 'Errors logged', 'a second, and worse', 'log', '1/s', 'log.errors', log),
  pair('backlog', 'Input backlog', 'dropped solid, cut short dashed', 'network', '1/s',
    [['net.backlog.dropped', 'dropped'], ['net.backlog.squeezed', 'cut short']], core),
] // prettier-ignore

const READY = new Map(PLANS.map((plan) => [plan.id, plan]))
export const readyPlan = (id: string): StripPlan | null => READY.get(id) ?? null

export type LayoutId =
  | 'first'
  | 'processor'
  | 'memory'
  | 'disk'
  | 'network'
  | 'filesystems'
  | 'interfaces'
  | 'protocols'
  | 'heat'
  | 'logs'
  | 'others'
  | 'device'

export interface Layout {
  id: LayoutId
  title: string
  note: string
  /** Looked at now and then: it stands in a menu. */
  rare?: true
}

/** In the order of the work: waiting, then what of, then one device alone. */
export const LAYOUTS: Layout[] = [
  { id: 'first', title: 'First look', note: 'what waits, what works, where it went' },
  { id: 'processor', title: 'Processor', note: 'the cores, tasks waiting for them, what keeps them busy' },
  { id: 'memory', title: 'Memory', note: 'where memory and swap are, what stalled for lack of it' },
  { id: 'disk', title: 'Disk', note: 'traffic, requests, waits and queues of the heaviest disks' },
  { id: 'network', title: 'Network', note: 'traffic and loss of the heaviest interfaces' },
  {
    id: 'filesystems',
    title: 'Filesystems',
    note: 'how full each is, and until when there is room',
    rare: true,
  },
  { id: 'interfaces', title: 'Interfaces', note: 'each interface and direction in figures', rare: true },
  {
    id: 'protocols',
    title: 'Protocols',
    note: 'IPv4, IPv6, TCP, UDP and ICMP one by one, and sockets',
    rare: true,
  },
  { id: 'heat', title: 'Heat', note: 'temperatures, fans, core speed and throttling', rare: true },
  { id: 'logs', title: 'Logs', note: 'two logs side by side, and how much is logged', rare: true },
  { id: 'others', title: 'Others', note: 'what others count, under their own names', rare: true },
  {
    id: 'device',
    title: 'One device',
    note: 'everything about one core, disk, interface, filesystem, sensor, log, process or user',
  },
]

export const isLayout = (text: unknown): text is LayoutId => LAYOUTS.some((layout) => layout.id === text)

type Wanted = string | [id: string, devices: Devices]
const top5: Devices = { kind: 'hottest', count: 5 }
const each: Devices = { kind: 'each' }
const STRIPS: Record<Exclude<LayoutId, 'device' | 'others'>, Wanted[]> = {
  first: ['cores', 'stall-cpu', 'memory', 'swap', 'disk', 'network', 'stall-io', 'queue', 'load'],
  processor: [
    'cores', 'stall-cpu', 'waiting', ['core', top5], 'hottest', 'averages', 'load', 'irq', 'steal', 'switches', 'interrupts', 'forks',
  ],
  memory: ['parts', 'memory', 'stall-memory', 'swap', 'held', 'swap-disk', 'swap-wait', 'swap-device', 'activity', 'faults', 'refaults', 'reclaim', 'owed', 'slab', 'huge',
  ],
  disk: [
    'stall-io', ['disk', top5], ['wait', top5], ['queue', top5], ['busy', top5], ['requests', top5], 'iowait', 'owed',
  ],
  network: [
    ['network', top5], ['use', top5], ['packets', top5], 'resent', ['drops', top5], ['errors', top5], 'opens', 'overflows',
    'backlog',
  ],
  filesystems: [['fs-use', each], ['fs-free', each], ['fs-inodes', each], 'disk'],
  interfaces: [['network', each], ['packets', each], ['drops', each], ['errors', each]],
  protocols: ['tcp', 'connections', 'sockets', 'socket-states', 'ip', 'ip6', 'udp', 'icmp', 'resent', 'overflows'],
  logs: [['log-lines', each], ['log-errors', each], 'cores', 'stall-io', 'memory'],
  heat: [['temperature', each], ['fan', each], 'throttles', 'speed', 'cores'],
} // prettier-ignore

/** A device to look at alone, or a user of resources. */
export interface DeviceRef {
  kind: DeviceClass | WhoKind
  name: string
}

const ABOUT: Record<Exclude<DeviceRef['kind'], WhoKind>, string[]> = {
  core: ['cores', 'waiting', 'irq', 'iowait', 'steal', 'backlog'],
  disk: ['disk', 'requests', 'wait', 'waits', 'queue', 'busy', 'sizes'],
  interface: ['network', 'use', 'packets', 'drops', 'errors'],
  filesystem: ['fs-use', 'fs-used', 'fs-free', 'fs-inodes'],
  sensor: ['temperature'],
  log: ['log-lines', 'log-errors'],
  other: [],
}

const made = (wanted: Wanted): Strip[] => {
  const [id, devices] = typeof wanted === 'string' ? [wanted, undefined] : wanted
  const plan = readyPlan(id)
  return plan ? [stripOf(plan, devices ? { devices } : {})] : []
}

/** The strips of a layout as it is ready-made, of an archive that has these measures beside those of the catalogue. */
export function stripsOf(layout: LayoutId, device: DeviceRef | null, measures: KnownMeasure[] = []): Strip[] {
  if (layout === 'others') return stripsOfOthers(measures)
  if (layout !== 'device') return STRIPS[layout].flatMap(made)
  if (!device) return []
  const { kind, name } = device
  if (isWho(kind)) return stripsOfWho(kind, name)
  return ABOUT[kind].flatMap((id) => made([id, { kind: 'named', names: [name] }]))
}

function stripsOfOthers(measures: KnownMeasure[]): Strip[] {
  return measures
    .filter((measure) => measure.resource === 'other')
    .slice(0, MOST_STRIPS)
    .flatMap((measure) => {
      const plan = planOfMeasures([measure.name], [measure])
      return plan ? [stripOf(plan, plan.per ? { devices: each } : {})] : []
    })
}

/** In a link a strip's changes are parted by tildes, which the usual encoding leaves alone. */
const encoded = (name: string): string => encodeURIComponent(name).replace(/~/g, '%7E')

/** Each of what one user of resources had beside what the machine had of it. */
function stripsOfWho(kind: WhoKind, name: string): Strip[] {
  const process = kind === 'process' ? readProcess(name) : null
  const own = (quantity: string): Strip[] => {
    const plan = planOfUse(`use.${quantity}{by=${kind},of=${encoded(name)}}`)
    return plan ? [stripOf(plan)] : []
  }
  const past = process ? historyOf(process) : []
  const pastOf = (measure: string): Strip[] => past.filter(({ plan }) => plan.id.startsWith(measure))
  return process
    ? [
        ...pastOf('process.busy'),
        ...made('cores'),
        ...pastOf('process.memory'),
        ...made('memory'),
        ...pastOf('process.io'),
        ...made('disk'),
        ...pastOf('process.blocked'),
        ...made('stall-io'),
        ...pastOf('process.faults'),
      ]
    : [
        ...own('processor'),
        ...made('cores'),
        ...own('waited'),
        ...own('memory'),
        ...made('memory'),
        ...own('read'),
        ...own('written'),
        ...made('disk'),
        ...own('blocked'),
        ...made('stall-io'),
      ]
}

const HISTORY = [
  { measure: 'process.busy', title: 'busy', unit: 'cores', resource: 'processor' },
  { measure: 'process.memory', title: 'memory', unit: 'bytes', resource: 'memory' },
  { measure: 'process.io', title: 'I/O', unit: 'bytes/s', resource: 'disk' },
  { measure: 'process.blocked', title: 'blocked on I/O', unit: 'tasks', resource: 'disk' },
  { measure: 'process.faults', title: 'major faults', unit: '1/s', resource: 'memory' },
] as const

/** A process's own past, strip by strip. Their names tell number and start, and its name for people. */
export function historyOf({
  pid,
  start,
  name,
}: {
  pid: number
  start: number
  name: string | null
}): Strip[] {
  const spoken = (name ?? 'process').replace(/[^\w.-]/g, '_')
  return HISTORY.map(({ measure, title, unit, resource }) => {
    const own = `${measure}{name=${spoken},pid=${pid},start=${start}}`
    return stripOf({
      id: own,
      title: `${spoken}, ${title}`,
      note: `process ${pid}; unknown while not among the heaviest`,
      resource,
      unit,
      traces: [trace(own, title)],
    })
  })
}

export function readDevice(text: unknown): DeviceRef | null {
  const [, kind, name] =
    typeof text === 'string'
      ? (/^(core|disk|interface|filesystem|sensor|log|process|program|user|group|service):(.+)$/s.exec(
          text,
        ) ?? [])
      : []
  return kind && name ? { kind: kind as DeviceRef['kind'], name } : null
}

export const writeDevice = (device: DeviceRef): string => `${device.kind}:${device.name}`

/** What a strip needs to know of a measure that has no ready strip. */
export interface KnownMeasure {
  name: string
  title: string
  unit: ApiUnit
  resource: Resource
  per: DeviceClass | null
}

/** Bits for links, bytes for transfers. */
export const unitOf = (measure: string, unit: ApiUnit): Unit =>
  /^net\..*\.rate$/.test(measure) && unit === 'bytes/s' ? 'bits/s' : unit

const HOLDING = 'holding='

/** A strip of any measures, all of one unit. Null where none is known. */
export function planOfMeasures(names: string[], known: KnownMeasure[]): StripPlan | null {
  const measures = names.flatMap((name) => {
    const plain =
      known.find((item) => item.name === name) ?? known.find((item) => name.startsWith(`${item.name}{`))
    return plain ? [{ ...plain, name }] : []
  })
  const first = measures[0]
  if (!first) return null
  const unit = unitOf(first.name, first.unit)
  const alike = measures.filter((item) => unitOf(item.name, item.unit) === unit)
  const inner = /\{(.*)\}$/.exec(first.name)?.[1]
  return {
    id: alike.map((item) => item.name).join('+'),
    title: inner?.startsWith('name=')
      ? `${/name=([^,]*)/.exec(inner)?.[1] ?? ''}, ${first.title.split(', ')[1] ?? ''}`
      : inner?.startsWith(HOLDING)
        ? `${first.title} with “${decodeURIComponent(inner.slice(HOLDING.length))}”`
        : first.title,
    note:
      first.resource === 'other'
        ? 'from elsewhere'
        : alike.length > 1
          ? ''
          : inner?.startsWith(HOLDING)
            ? 'logged a second'
            : (inner ?? first.name),
    resource: first.resource,
    unit,
    traces: alike.map((item, at) =>
      trace(item.name, item.title.toLowerCase(), Math.max(1 - at * 0.25, 0.4), at % 2 === 1),
    ),
    ...(first.per ? { per: first.per } : {}),
  }
}

/** What can be used, and what a strip of it is called. */
const USED: Record<string, { title: string; unit: Unit; resource: Resource; top?: StripPlan['top'] }> = {
  processor: { title: 'Cores used', unit: 'cores', resource: 'processor', top: 'cores' },
  system: { title: 'Cores used in the kernel', unit: 'cores', resource: 'processor' },
  memory: { title: 'Memory held', unit: 'bytes', resource: 'memory' },
  read: { title: 'Bytes read', unit: 'bytes/s', resource: 'disk' },
  written: { title: 'Bytes written', unit: 'bytes/s', resource: 'disk' },
  major_faults: { title: 'Major faults', unit: '1/s', resource: 'memory' },
  minor_faults: { title: 'Minor faults', unit: '1/s', resource: 'memory' },
  blocked: { title: 'Tasks blocked on I/O', unit: 'tasks', resource: 'disk' },
  threads: { title: 'Threads', unit: 'count', resource: 'processor' },
  waited: { title: 'Waiting for a core', unit: 'tasks', resource: 'processor' },
}
const BY: Record<string, string> = {
  process: 'process',
  program: 'program',
  user: 'user',
  group: 'control group',
  service: 'service',
}

/** A strip of a resource by those who used it: `use.QUANTITY{by=BY}`. Null for a name that is none. */
export function planOfUse(name: string): StripPlan | null {
  const [, quantity = '', by = '', one] =
    /^use\.([a-z_]+)\{by=([a-z]+)(?:,most=\d+|,of=([^{},@]+))?\}$/.exec(name) ?? []
  const [used, way] = [USED[quantity], BY[by]]
  if (!used || !way) return null
  if (one !== undefined) {
    const of = decodeURIComponent(one)
    return {
      id: name,
      title: `${of}, ${used.title.toLowerCase()}`,
      note: way,
      resource: used.resource,
      unit: used.unit,
      traces: [trace(name, used.title.toLowerCase())],
    }
  }
  return {
    id: name,
    title: used.title,
    note: `by ${way}`,
    resource: used.resource,
    unit: used.unit,
    traces: [trace(name, used.title.toLowerCase(), 1, false)],
    stackedTo: name,
    byUser: true,
    ...(used.top ? { top: used.top } : {}),
  }
}

/** A plan by the name that a link has for it. */
export function planNamed(name: string, known: KnownMeasure[]): StripPlan | null {
  return readyPlan(name) ?? planOfUse(name) ?? planOfMeasures(name.split('+'), known)
}
