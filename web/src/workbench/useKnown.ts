import { computed, type ComputedRef, type Ref } from 'vue'
import { useAvailable, useCounters, useLogs, useMeasures } from '../api/queries'
import type { DeviceRef, KnownMeasure } from '../model/layouts'

export type ChartedMeasure = KnownMeasure & { devices: string[]; aliases: string[] }

interface Known {
  /** Every measure and counter that there is; null while that is not known. */
  catalogue: ComputedRef<KnownMeasure[] | null>
  /** What others count in this archive, under their own names; null while that is not known. */
  others: ComputedRef<ChartedMeasure[] | null>
  /** Whether its cores are known: an archive of a recorder, and not of a table; null while that is not known. */
  hasProcessor: ComputedRef<boolean | null>
  /** What this archive can give, counters included. */
  charted: ComputedRef<ChartedMeasure[]>
  /** The cores, disks and interfaces that can be looked at alone. */
  devices: ComputedRef<DeviceRef[]>
}

/** What can be known of one process; which one stands between braces. */
const PROCESSES: KnownMeasure[] = [
  { name: 'process.busy', title: 'Process, busy', unit: 'cores', resource: 'processor', per: null },
  { name: 'process.memory', title: 'Process, memory', unit: 'bytes', resource: 'memory', per: null },
  { name: 'process.io', title: 'Process, I/O', unit: 'bytes/s', resource: 'disk', per: null },
  { name: 'process.blocked', title: 'Process, blocked on I/O', unit: 'tasks', resource: 'disk', per: null },
  { name: 'process.faults', title: 'Process, major faults', unit: '1/s', resource: 'memory', per: null },
]

/** How much was logged: of all logs, of one, and of the lines that hold some text. */
const LOGS: KnownMeasure[] = [
  { name: 'log.lines', title: 'Log lines', unit: '1/s', resource: 'log', per: 'log' },
  { name: 'log.errors', title: 'Errors logged', unit: '1/s', resource: 'log', per: 'log' },
]

const TELLING = [
  { kind: 'disk', measure: 'disk.busy' },
  { kind: 'interface', measure: 'net.receive.rate' },
  { kind: 'core', measure: 'cpu.busy' },
  { kind: 'filesystem', measure: 'filesystem.use' },
  { kind: 'sensor', measure: 'heat.temperature' },
] as const

/** What can be charted. */
export function useKnown(id: Ref<string>): Known {
  const { data: measures } = useMeasures()
  const { data: counters } = useCounters()
  const { data: available } = useAvailable(id)
  const { data: logs } = useLogs(id)
  const logNames = computed(() => logs.value?.map((log) => log.name) ?? [])
  const raw = computed<KnownMeasure[] | null>(
    () =>
      counters.value?.map(({ name, title, charted_in: unit, resource }) => ({
        name,
        title,
        unit,
        resource,
        per: null,
      })) ?? null,
  )
  return {
    catalogue: computed(() =>
      measures.value && raw.value ? [...measures.value, ...raw.value, ...PROCESSES, ...LOGS] : null,
    ),
    others: computed(() => available.value?.filter((item) => item.resource === 'other') ?? null),
    hasProcessor: computed(() => available.value?.some((item) => item.name === 'cpu.busy') ?? null),
    charted: computed(() => [
      ...(available.value ?? []),
      ...(logNames.value.length ? LOGS : []).map((item) => ({
        ...item,
        devices: logNames.value,
        aliases: [],
      })),
      ...(raw.value ?? []).map((item) => ({ ...item, devices: [], aliases: [] })),
    ]),
    devices: computed(() => [
      ...TELLING.flatMap(({ kind, measure }) =>
        (available.value?.find((item) => item.name === measure)?.devices ?? []).map((name) => ({
          kind,
          name,
        })),
      ),
      ...logNames.value.map((name) => ({ kind: 'log' as const, name })),
    ]),
  }
}
