import type { Archive } from '../api/client'
import { toMs } from '../model/instant'

/** A host with its archives, and what to open to see all of them as one. */
export interface HostArchives {
  id: string
  name: string
  archives: Archive[]
  /** How many of them are not waiting to be removed. */
  kept: number
}

/** Archives by host, the host with the newest ticks first, as the archives come. */
export function byHost(archives: readonly Archive[]): HostArchives[] {
  const hosts = new Map<string, HostArchives>()
  for (const archive of archives) {
    const { id, name } = archive.host
    const host = hosts.get(id) ?? { id, name, archives: [], kept: 0 }
    host.archives.push(archive)
    host.kept += archive.deleted === null ? 1 : 0
    hosts.set(id, host)
  }
  return [...hosts.values()]
}

/** The archive whose ticks are the newest; of those that reach as far the finest. Null where there are none. */
export function newestOf(host: HostArchives): Archive | null {
  const filled = host.archives.filter((archive) => archive.deleted === null && archive.end !== null)
  return filled.reduce<Archive | null>((best, archive) => {
    const later = toMs(archive.end ?? '') - toMs(best?.end ?? archive.end ?? '')
    return best === null || later > 0 ? archive : best
  }, null)
}

/** A time as typed, in the form the server takes: a blank between day and hour is forgiven. */
export const asRfc3339 = (text: string): string => text.trim().replace(' ', 'T')

/** A moment to the whole second, spelt; nothing for none. */
export const toSecond = (ms: number | null, round: (seconds: number) => number): string =>
  ms === null ? '' : new Date(round(ms / 1000) * 1000).toISOString().replace('.000Z', 'Z')
