import type { Finding } from '../api/client'

export interface Stage {
  finding: Finding
  depth: number
}

/** The chain that a finding belongs to: what it all came of first, each with what it brought about below it. */
export function chainOf(finding: Finding, all: Finding[]): Stage[] {
  const named = new Map(all.map((item) => [item.id, item]))
  let root = finding
  const climbed = new Set([root.id])
  for (;;) {
    const cause = root.caused_by.map((id) => named.get(id)).find((item) => item && !climbed.has(item.id))
    if (!cause) break
    climbed.add(cause.id)
    root = cause
  }
  const out: Stage[] = []
  const seen = new Set<string>()
  const grow = (item: Finding, depth: number): void => {
    if (seen.has(item.id)) return
    seen.add(item.id)
    out.push({ finding: item, depth })
    for (const id of item.symptoms) {
      const next = named.get(id)
      if (next) grow(next, depth + 1)
    }
  }
  grow(root, 0)
  return out.length > 1 ? out : []
}

/** With its device, where it has one. */
export function titleOf({ title, device }: Pick<Finding, 'title' | 'device'>): string {
  if (device === null) return title
  return `${title}, ${/^\d+$/.test(device) ? `core ${device}` : device}`
}

/** As a link names it: its kind, and its device where it has one. */
export const nameOfFinding = ({ kind, device }: Pick<Finding, 'kind' | 'device'>): string =>
  device === null ? kind : `${kind}@${device}`
