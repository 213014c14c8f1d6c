import type { Finding } from '../api/client'
import { chainOf, nameOfFinding } from '../findings/chain'

/** What was found of one thing of one device: the worst time it was there, and how many times it was. */
export interface WorstFinding {
  finding: Finding
  times: number
}

const weightOf = (finding: Finding): number => finding.severity * finding.time_lost_s
const heavier = (a: Finding, b: Finding): number =>
  weightOf(b) - weightOf(a) || b.harm.seconds - a.harm.seconds

/**
 * Findings as a list to choose from: the worst first, but what others came of in front of them, since that is where the
 * work begins; what was there several times once.
 */
export function worstFirst(findings: readonly Finding[]): WorstFinding[] {
  const all = [...findings].sort(heavier)
  const inOrder = new Set<Finding>()
  for (const finding of all) {
    const root = chainOf(finding, all)[0]?.finding
    if (root) inOrder.add(root)
    inOrder.add(finding)
  }
  const byName = new Map<string, WorstFinding>()
  for (const finding of inOrder) {
    const name = nameOfFinding(finding)
    const known = byName.get(name)
    const times = Math.max(finding.occurrences.length, 1)
    byName.set(name, known ? { ...known, times: known.times + times } : { finding, times })
  }
  return [...byName.values()]
}
