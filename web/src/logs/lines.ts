import type { LogInfo, Marker } from '../api/client'
import { toMs } from '../model/instant'
import { placed, type Change } from '../names/facts'

/** What the two panes of the reader show, and what lines have to hold; as a link and the reader have it. */
export interface Reading {
  /** The log of each pane; '' is all of them together, null a pane that is shut. */
  panes: [string, string | null]
  holding: string
}

export const ALL = ''
export const NOTHING_READ: Reading = { panes: [ALL, null], holding: '' }

/** For a link: `log=NAME`, twice for two panes, and `holding=TEXT`. */
export function readingQuery({ panes: [left, right], holding }: Reading): Record<string, string | string[]> {
  const logs = right === null ? [left] : [left, right]
  const isPlain = right === null && left === ALL
  return { ...(isPlain ? {} : { log: logs }), ...(holding ? { holding } : {}) }
}

export function parseReading(query: Record<string, unknown>): Reading {
  const given = Array.isArray(query['log']) ? query['log'] : [query['log']]
  const [left, right] = given.filter((name): name is string => typeof name === 'string')
  return {
    panes: [left ?? ALL, right ?? null],
    holding: typeof query['holding'] === 'string' ? query['holding'] : '',
  }
}

/** The line that stands at a moment: the last one that is not after it; -1 before the first. */
export function lineAt(lines: Marker[], at: number): number {
  let [low, high] = [0, lines.length]
  while (low < high) {
    const middle = (low + high) >> 1
    const line = lines[middle]
    if (line && toMs(line.at) <= at) low = middle + 1
    else high = middle
  }
  return low - 1
}

/** Lines this near to an end of what is loaded are too near: there may be more beyond it. */
const MARGIN = 20

/** Whether lines around a moment have to be loaded, for those that are there end too near to it. `most` are loaded at once. */
export function isTooNear(lines: Marker[], at: number, most: number): boolean {
  if (lines.length < most) return false // there are no others
  const here = lineAt(lines, at)
  return here < MARGIN || here > lines.length - MARGIN
}

/** The logs that get a lane of their own: those with the most errors, then with the most lines, by name. */
export function lanesOf(logs: LogInfo[], most: number): string[] {
  return [...logs]
    .sort((a, b) => b.errors - a.errors || b.lines - a.lines)
    .slice(0, most)
    .map((log) => log.name)
    .sort()
}

/** The measure that counts the lines which hold a text. What is in the way of a link is encoded. */
export const countedName = (what: 'log.lines' | 'log.errors', holding: string): string =>
  holding ? `${what}{holding=${encodeURIComponent(holding).replace(/~/g, '%7E')}}` : what

/** Changes of the machine as notes on the axis: mounts that came and went, ports, disks, the kernel. */
export function changeNotes(changes: Change[]): Marker[] {
  return changes.map(({ at, lines }) => ({
    ident: `change/${at}`,
    at: placed(at),
    end: null,
    kind: 'note',
    text: lines.join('; '),
    source: 'what changed',
    severity: null,
    log: '',
  }))
}
