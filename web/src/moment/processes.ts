import type { Process, Processes, Thread } from '../api/client'
import type { Unit } from '../model/amounts'

export type Amount = 'cpu' | 'memory' | 'io' | 'blocked' | 'faults' | 'threads' | 'waiting'

interface AmountTold {
  key: Amount
  title: string
  unit: Unit
  help: string
}

/** What the table can tell of each process; the first three are what it begins with. */
export const AMOUNTS: AmountTold[] = [
  { key: 'cpu', title: 'busy', unit: 'cores', help: 'Processor use over the tick, in cores' },
  { key: 'memory', title: 'memory', unit: 'bytes', help: 'Resident memory; shared pages count with each' },
  { key: 'io', title: 'I/O', unit: 'bytes/s', help: 'Bytes read from and written to storage' },
  { key: 'blocked', title: 'blocked', unit: 'tasks', help: 'Tasks blocked on I/O, on average' },
  { key: 'faults', title: 'faults', unit: '1/s', help: 'Major faults: read from disk or swap' },
  { key: 'threads', title: 'threads', unit: 'count', help: 'Threads' },
  {
    key: 'waiting',
    title: 'waiting',
    unit: 'tasks',
    help: 'Threads that were ready to run and had no core, on average; 0 where it was not recorded',
  },
]
export const FIRST_COLUMNS: Amount[] = ['cpu', 'memory', 'io']

export function weightOf(item: Pick<Process, 'usage'>, by: Amount): number {
  const { usage } = item
  switch (by) {
    case 'cpu':
      return usage.cpu_cores ?? 0
    case 'memory':
      return usage.memory_bytes
    case 'io':
      return ioOf(usage)
    case 'blocked':
      return usage.blocked_tasks ?? 0
    case 'faults':
      return usage.major_faults_per_s ?? 0
    case 'threads':
      return usage.threads
    case 'waiting':
      return usage.waiting_tasks ?? 0
  }
}

export const ioOf = (usage: Process['usage']): number =>
  (usage.read_bytes_per_s ?? 0) + (usage.write_bytes_per_s ?? 0)

const MOST_THREADS = 4

/** A process's threads that did something, busiest first; only where the plan asks for threads. */
export const threadsOf = (processes: Processes, item: Process): Thread[] =>
  processes.threads
    .filter(
      (thread) => thread.pid === item.pid && ((thread.usage.cpu_cores ?? 0) > 0 || ioOf(thread.usage) > 0),
    )
    .slice(0, MOST_THREADS)

/** Heaviest first; equals stay in the order in which they came. */
export function sorted(processes: Process[], by: Amount): Process[] {
  return [...processes].sort((a, b) => weightOf(b, by) - weightOf(a, by))
}

export interface Branch {
  process: Process
  depth: number
}

/** Children under their parents, as far as those are listed; brothers heaviest first. */
export function asTree(processes: Process[], by: Amount): Branch[] {
  const listed = new Set(processes.map((process) => process.pid))
  const out: Branch[] = []
  const seen = new Set<Process>()
  const grow = (parent: number | null, depth: number): void => {
    const children = sorted(
      processes.filter((process) =>
        parent === null
          ? process.parent === null || !listed.has(process.parent) || process.parent === process.pid
          : process.parent === parent,
      ),
      by,
    )
    for (const child of children) {
      if (seen.has(child)) continue
      seen.add(child)
      out.push({ process: child, depth })
      grow(child.pid, depth + 1)
    }
  }
  grow(null, 0)
  return out
}

/** Those whose name, user, control group or number holds the text. */
export function named(processes: Process[], search: string): Process[] {
  const wanted = search.trim().toLowerCase()
  if (!wanted) return processes
  return processes.filter((process) =>
    [process.name, process.user, process.group, String(process.pid)].some((text) =>
      text?.toLowerCase().includes(wanted),
    ),
  )
}

/** What the processes outside the list had together; null while nothing is known of all. */
export function rest({ processes, total }: Processes): Record<Amount, number> | null {
  if (!total) return null
  const whole = { usage: total }
  const left = (by: Amount): number =>
    Math.max(weightOf(whole, by) - processes.reduce((sum, process) => sum + weightOf(process, by), 0), 0)
  return {
    cpu: left('cpu'),
    memory: left('memory'),
    io: left('io'),
    blocked: left('blocked'),
    faults: left('faults'),
    threads: left('threads'),
    waiting: left('waiting'),
  }
}
