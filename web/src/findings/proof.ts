import type { Finding } from '../api/client'
import { planOfMeasures, type KnownMeasure } from '../model/layouts'
import { stripOf, type Strip } from '../model/strips'

/** The strips that show a finding: one a measure of its evidence, of the finding's device, with a line at the threshold. */
export function stripsOfFinding(finding: Pick<Finding, 'evidence'>, known: KnownMeasure[]): Strip[] {
  const seen = new Set<string>()
  return finding.evidence.flatMap((one) => {
    const key = `${one.measure}@${one.device ?? ''}`
    const plan = seen.has(key) ? null : planOfMeasures([one.measure], known)
    seen.add(key)
    if (!plan) return []
    const devices = one.device === null || plan.per === undefined ? {} : named(one.device)
    return [stripOf(plan, { ...devices, line: one.threshold })]
  })
}

const named = (device: string): Partial<Strip> => ({ devices: { kind: 'named', names: [device] } })

/** What people made of it, in a word. */
export const STATES = { open: 'remarked upon', confirmed: 'confirmed', dismissed: 'dismissed' } as const
