import type { Process, Processes, Thread } from '../api/client'

export type Amount = 'cpu' | 'memory' | 'io'

/** What the table tells of each process. */
export const AMOUNTS: { key: Amount; title: string; unit: 'cores' | 'bytes' | 'bytes/s'; help: string }[] = [
  { key: 'cpu', title: 'busy', unit: 'cores', help: 'Processor use over the tick, in cores' },
  { key: 'memory', title: 'memory', unit: 'bytes', help: 'Resident memory; shared pages count with each' },
  { key: 'io', title: 'I/O', unit: 'bytes/s', help: 'Bytes read from and written to storage' },
]

export function weightOf(one: Process, by: Amount): number {
  if (by === 'cpu') return one.usage.cpu_cores ?? 0
  if (by === 'memory') return one.usage.memory_bytes
  return ioOf(one.usage)
}

export const ioOf = (usage: Process['usage']): number =>
  (usage.read_bytes_per_s ?? 0) + (usage.write_bytes_per_s ?? 0)

const MOST_THREADS = 4

/** A process's threads that did something, busiest first; only where the plan asks for threads. */
export const threadsOf = (processes: Processes, one: Process): Thread[] =>
  processes.threads
    .filter(
      (thread) => thread.pid === one.pid && ((thread.usage.cpu_cores ?? 0) > 0 || ioOf(thread.usage) > 0),
    )
    .slice(0, MOST_THREADS)

/** Heaviest first; equals stay in the order in which they came. */
export function sorted(processes: Process[], by: Amount): Process[] {
  return [...processes].sort((a, b) => weightOf(b, by) - weightOf(a, by))
}

/** Those whose name, user, control group or number holds the text. */
export function named(processes: Process[], search: string): Process[] {
  const wanted = search.trim().toLowerCase()
  if (!wanted) return processes
  return processes.filter((one) =>
    [one.name, one.user, one.group, String(one.pid)].some((text) => text?.toLowerCase().includes(wanted)),
  )
}

/** What the processes outside the list had together; null while nothing is known of all. */
export function rest({ processes, together }: Processes): Record<Amount, number> | null {
  if (!together) return null
  const whole = { usage: together } as Process
  const left = (by: Amount): number =>
    Math.max(weightOf(whole, by) - processes.reduce((sum, one) => sum + weightOf(one, by), 0), 0)
  return { cpu: left('cpu'), memory: left('memory'), io: left('io') }
}
