import type { Filesystem, HostFacts } from '../api/client'
import { spellAmount } from '../model/amounts'
import { spellDuration } from '../model/clock'

type Mount = NonNullable<HostFacts['mounts']>[string]

const DAY_S = 86_400
const YEARS_S = 10 * 365 * DAY_S
export const UNKNOWN = '–'

/** Until when there is room, at the pace of the window; what is ten years away is no date. */
export function spellFull(fullInS: number | null): string {
  if (fullInS === null) return 'does not grow'
  return fullInS > YEARS_S ? 'in over ten years' : `in ${spellDuration(fullInS)}`
}

/** A row of the table: mount, what it is, how full it is, how it grows. */
export function filesystemCells(item: Filesystem, facts: Mount | undefined): string[] {
  const { used_bytes: used, free_bytes: free, growth_bytes_per_s: growth } = item
  const size = used === null || free === null ? null : used + free
  const share = (value: number | null): string => (value === null ? UNKNOWN : spellAmount(value, 'share'))
  return [
    item.mount,
    facts?.device ?? UNKNOWN,
    facts?.kind ?? UNKNOWN,
    spellAmount(size, 'bytes'),
    spellAmount(used, 'bytes'),
    spellAmount(free, 'bytes'),
    share(size && used !== null ? used / size : null),
    share(item.inodes),
    growth === null
      ? 'no trend'
      : `${spellAmount(Math.abs(growth) * DAY_S, 'bytes')}${growth < 0 ? ' less' : ''}`,
    spellFull(item.full_in_s),
  ]
}
