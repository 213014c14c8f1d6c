import type { Unusual } from '../api/client'

const NAMED = 3

/** What was unlike usual, and how often, heaviest first. */
export function unusualWords({ strain, most, names }: Unusual): string {
  const known = strain.filter((value) => value !== null)
  if (!known.length) return 'Unlike usual: too little is known of this host’s past'
  const times = new Map<string, number>()
  for (const at of most) {
    const name = at === null ? undefined : names[at]
    if (name !== undefined) times.set(name, (times.get(name) ?? 0) + 1)
  }
  if (!times.size) return 'Unlike usual: never; nothing waited or failed beyond what is usual for its hour'
  const share = (count: number): string => `${Math.max(Math.round((100 * count) / known.length), 1)} %`
  const listed = [...times]
    .sort((a, b) => b[1] - a[1])
    .slice(0, NAMED)
    .map(([name, count]) => `${name.replace('@', ' of ')} in ${share(count)} of the time`)
  return `Unlike usual for the hour: ${listed.join(', ')}`
}
