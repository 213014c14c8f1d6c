import type { Use, UseRow } from '../api/client'
import { scaleFor, spellNumber, type Scale, type Unit } from '../model/amounts'

export type Quantity = Use['sort']
export type Amounts = UseRow['amounts']

/** A column of the table: what was used over the window, or held on average. */
export interface UseColumn {
  key: string
  title: string
  unit: Unit
  help: string
  /** What the server sorts by when this column is chosen; null where it cannot. */
  sort: Quantity | null
  of: (amounts: Amounts) => number | null
  /** What only a row has, not the rest of the machine. */
  ofRow?: (row: UseRow) => number | null
}

export const COLUMNS: UseColumn[] = [
  {
    key: 'cores',
    title: 'busy',
    unit: 'cores',
    sort: 'processor',
    help: 'Processor use on average over the window',
    of: (it) => it.cores,
  },
  {
    key: 'processor',
    title: 'time',
    unit: 's',
    sort: 'processor',
    help: 'Processor time over the window',
    of: (it) => it.processor_s,
  },
  {
    key: 'system',
    title: 'kernel',
    unit: 's',
    sort: 'system',
    help: 'The part of the processor time that the kernel used',
    of: (it) => it.system_s,
  },
  {
    key: 'memory',
    title: 'memory',
    unit: 'bytes',
    sort: 'memory',
    help: 'Resident memory on average; what processes share counts with each of them',
    of: (it) => it.memory_bytes,
  },
  {
    key: 'high',
    title: 'highest',
    unit: 'bytes',
    sort: null,
    help: 'The most memory that was held; of several processes together, the highest mean of a bin',
    of: () => null,
    ofRow: (row) => row.memory_high_bytes,
  },
  {
    key: 'growth',
    title: 'growth',
    unit: 'bytes',
    sort: null,
    help: 'Memory held at the end of the window less that at its beginning',
    of: () => null,
    ofRow: (row) => row.memory_growth_bytes,
  },
  {
    key: 'read',
    title: 'read',
    unit: 'bytes',
    sort: 'read',
    help: 'Read from storage over the window',
    of: (it) => it.read_bytes,
  },
  {
    key: 'written',
    title: 'written',
    unit: 'bytes',
    sort: 'written',
    help: 'Written over the window; it may have reached the disks later',
    of: (it) => it.written_bytes,
  },
  {
    key: 'major',
    title: 'major faults',
    unit: 'count',
    sort: 'major_faults',
    help: 'Faults that read from disk or swap',
    of: (it) => it.major_faults,
  },
  {
    key: 'minor',
    title: 'minor faults',
    unit: 'count',
    sort: 'minor_faults',
    help: 'Faults that found their page in memory',
    of: (it) => it.minor_faults,
  },
  {
    key: 'blocked',
    title: 'blocked',
    unit: 's',
    sort: 'blocked',
    help: 'Time that its tasks were blocked on I/O, all together; 0 where the kernel does not keep it',
    of: (it) => it.blocked_s,
  },
  {
    key: 'threads',
    title: 'threads',
    unit: 'count',
    sort: 'threads',
    help: 'Threads on average',
    of: (it) => it.threads,
  },
  {
    key: 'waited',
    title: 'waited',
    unit: 's',
    sort: 'waited',
    help: 'Time that its threads were ready to run and had no core, all together; 0 where it was not recorded',
    of: (it) => it.waited_s,
  },
]

export const FIRST_COLUMNS = ['cores', 'memory', 'read']

/** What each way of putting together is called. */
export const WAYS: { by: Use['by']; title: string; many: string }[] = [
  { by: 'process', title: 'process', many: 'processes' },
  { by: 'program', title: 'program', many: 'programs' },
  { by: 'user', title: 'user', many: 'users' },
  { by: 'service', title: 'service', many: 'services' },
  { by: 'group', title: 'control group', many: 'control groups' },
]

export type Way = (typeof WAYS)[number]
const FIRST_WAY: Way = { by: 'process', title: 'process', many: 'processes' }
export const wayOf = (by: Use['by']): Way => WAYS.find((way) => way.by === by) ?? FIRST_WAY

const PER_BIN: Record<Quantity, { title: string; unit: Unit }> = {
  processor: { title: 'cores', unit: 'cores' },
  system: { title: 'cores in the kernel', unit: 'cores' },
  memory: { title: 'memory', unit: 'bytes' },
  read: { title: 'read', unit: 'bytes/s' },
  written: { title: 'written', unit: 'bytes/s' },
  major_faults: { title: 'major faults', unit: '1/s' },
  minor_faults: { title: 'minor faults', unit: '1/s' },
  blocked: { title: 'blocked tasks', unit: 'tasks' },
  threads: { title: 'threads', unit: 'count' },
  waited: { title: 'waiting for a core', unit: 'tasks' },
}
/** What the small curves show. */
export const curveOf = (quantity: Quantity): { title: string; unit: Unit } => PER_BIN[quantity]

export const valueOf = (row: UseRow, column: UseColumn): number | null =>
  column.ofRow ? column.ofRow(row) : column.of(row.amounts)

/** Hours and minutes where there are many seconds: what a day's work amounts to. */
const LONG: [number, string][] = [
  [3600, 'h'],
  [60, 'min'],
]
function scaleOfTime(highest: number): Scale {
  const [by, unit] = LONG.find(([size]) => highest >= 2 * size) ?? [1, 's']
  return { by, unit, digits: highest / by >= 100 ? 0 : 1 }
}

/** One scale for a column, from the largest of its values. */
export function scaleOfColumn(use: Use, column: UseColumn): Scale {
  const values = [...use.rows.map((row) => valueOf(row, column)), column.of(use.not_attributed)]
  const highest = Math.max(0, ...values.map((value) => Math.abs(value ?? 0)))
  return column.unit === 's' ? scaleOfTime(highest) : scaleFor(column.unit, highest)
}

export const spellShare = (share: number | null): string =>
  share === null ? '–' : share > 0 && share < 0.005 ? '<1' : `${Math.round(share * 100)}`

export const spellIn = (value: number | null, scale: Scale): string => spellNumber(value, scale)
