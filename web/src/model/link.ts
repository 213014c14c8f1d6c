import type { Span } from './span'

/** What a link reopens: the window and the needle. */
export interface Place {
  window: Span | null
  needle: number | null
  /** What of the link makes no sense, in words; it is left out then. */
  problem: string | null
}

const INSTANT = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:\d{2})$/i

const write = (ms: number): string => new Date(ms).toISOString().replace('.000Z', 'Z')

/** From a link's query; what is missing or no time is null. */
export function parsePlace(query: Record<string, unknown>): Place {
  const problems: string[] = []
  const read = (name: string): number | null => {
    const text = query[name]
    if (text === undefined) return null
    const ms = typeof text === 'string' && INSTANT.test(text) ? Date.parse(text) : NaN
    if (Number.isFinite(ms)) return ms
    problems.push(`${name}=${typeof text === 'string' ? text : '…'} is no time such as 2026-11-12T09:00:00Z`)
    return null
  }
  const [start, end, needle] = [read('from'), read('to'), read('at')]
  if (start !== null && end !== null && start >= end) problems.push('it ends before it begins')
  return {
    window: start !== null && end !== null && start < end ? { start, end } : null,
    needle,
    problem: problems.length ? problems.join('; ') : null,
  }
}

/** A link's query for a place, to the millisecond. */
export function placeQuery(window: Span, needle: number | null): Record<string, string> {
  return {
    from: write(window.start),
    to: write(window.end),
    ...(needle === null ? {} : { at: write(needle) }),
  }
}
