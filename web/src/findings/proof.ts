import type { Finding } from '../api/client'
import { planOfMeasures, type KnownMeasure } from '../model/layouts'
import { stripOf, type Strip } from '../model/strips'

/** The strips that show a finding: one a measure of its evidence, of the finding's device, with a line at the threshold. */
export function stripsOfFinding(finding: Pick<Finding, 'evidence'>, known: KnownMeasure[]): Strip[] {
  const seen = new Set<string>()
  return finding.evidence.flatMap((item) => {
    const key = `${item.measure}@${item.device ?? ''}`
    const plan = seen.has(key) ? null : planOfMeasures([item.measure], known)
    seen.add(key)
    if (!plan) return []
    const devices = item.device === null || plan.per === undefined ? {} : named(item.device)
    return [stripOf(plan, { ...devices, line: item.threshold })]
  })
}

export interface Crowd {
  name: string
  pids: number[]
  share: number
}

/** Processes of one name together: four of the same job are one answer. */
export function crowdsOf(processes: Finding['processes']): Crowd[] {
  const crowds = new Map<string, Crowd>()
  for (const process of processes) {
    const name = process.name ?? 'a process without a name'
    const crowd = crowds.get(name) ?? { name, pids: [], share: 0 }
    crowds.set(name, { name, pids: [...crowd.pids, process.pid], share: crowd.share + process.share })
  }
  return [...crowds.values()].sort((item, other) => other.share - item.share)
}

const named = (device: string): Partial<Strip> => ({ devices: { kind: 'named', names: [device] } })

/** What people made of it, in a word. */
export const STATES = { open: 'remarked upon', confirmed: 'confirmed', dismissed: 'dismissed' } as const
