import type { Unit } from './amounts'

export type Resource = 'processor' | 'memory' | 'swap' | 'disk' | 'network'

/** One line or layer of a strip. */
export interface Trace {
  measure: string
  label: string
  /** How strongly it is drawn, 0 to 1: traces of one resource differ in weight, not in colour. */
  weight: number
  dashed?: boolean
}

/** One chart over the window. */
export interface StripPlan {
  id: string
  title: string
  note: string
  resource: Resource
  unit: Unit
  traces: Trace[]
  /** Layers that add up to the measure named here, instead of lines. */
  stackedTo?: string
  /** A top that physics sets: all of the cores, all of the time, all of the memory. */
  top?: 'cores' | 'whole' | 'memory'
}

/** What opens first, in the order in which one looks: who waits, then who works, then where it went. */
export const FIRST_LOOK: StripPlan[] = [
  {
    id: 'cores',
    title: 'Cores busy',
    note: '',
    resource: 'processor',
    unit: 'cores',
    stackedTo: 'cpu.busy',
    top: 'cores',
    traces: [
      { measure: 'cpu.user', label: 'programs', weight: 0.75 },
      { measure: 'cpu.nice', label: 'low priority', weight: 0.3 },
      { measure: 'cpu.system', label: 'kernel', weight: 1 },
      { measure: 'cpu.interrupt', label: 'interrupts', weight: 0.9 },
      { measure: 'cpu.softirq', label: 'soft interrupts', weight: 0.9 },
    ],
  },
  {
    id: 'stall-cpu',
    title: 'Stalled for a core',
    note: 'share of time a task waited',
    resource: 'processor',
    unit: 'share',
    top: 'whole',
    traces: [{ measure: 'stall.cpu.some', label: 'stalled', weight: 1 }],
  },
  {
    id: 'memory',
    title: 'Available memory',
    note: 'what programs can still get',
    resource: 'memory',
    unit: 'bytes',
    top: 'memory',
    traces: [{ measure: 'memory.available', label: 'available', weight: 1 }],
  },
  {
    id: 'swap',
    title: 'Swap traffic',
    note: 'in solid, out dashed',
    resource: 'swap',
    unit: 'bytes/s',
    traces: [
      { measure: 'swap.in', label: 'in', weight: 1 },
      { measure: 'swap.out', label: 'out', weight: 0.7, dashed: true },
    ],
  },
  {
    id: 'disk',
    title: 'Disk traffic',
    note: 'read solid, write dashed',
    resource: 'disk',
    unit: 'bytes/s',
    traces: [
      { measure: 'disk.read.rate', label: 'read', weight: 1 },
      { measure: 'disk.write.rate', label: 'write', weight: 0.7, dashed: true },
    ],
  },
  {
    id: 'network',
    title: 'Network traffic',
    note: 'received solid, sent dashed',
    resource: 'network',
    unit: 'bits/s',
    traces: [
      { measure: 'net.receive.rate', label: 'received', weight: 1 },
      { measure: 'net.send.rate', label: 'sent', weight: 0.7, dashed: true },
    ],
  },
  {
    id: 'stall-io',
    title: 'Stalled on I/O',
    note: 'share of time a task waited',
    resource: 'disk',
    unit: 'share',
    top: 'whole',
    traces: [{ measure: 'stall.io.some', label: 'stalled', weight: 1 }],
  },
  {
    id: 'queue',
    title: 'Requests in flight',
    note: 'all disks together',
    resource: 'disk',
    unit: 'count',
    traces: [{ measure: 'disk.queue', label: 'in flight', weight: 1 }],
  },
  {
    id: 'load',
    title: 'Load, split',
    note: 'runnable solid, blocked dashed',
    resource: 'processor',
    unit: 'tasks',
    traces: [
      { measure: 'cpu.runnable', label: 'runnable', weight: 1 },
      { measure: 'cpu.blocked', label: 'blocked', weight: 0.7, dashed: true },
    ],
  },
]

export const measuresOf = (plans: StripPlan[]): string[] => [
  ...new Set(
    plans.flatMap((plan) => [
      ...plan.traces.map((trace) => trace.measure),
      ...(plan.stackedTo ? [plan.stackedTo] : []),
    ]),
  ),
]
