import type { Span } from './span'

/** What a link reopens: the window and the needle. */
export interface Place {
  window: Span | null
  needle: number | null
}

const read = (text: unknown): number | null => {
  const ms = typeof text === 'string' ? Date.parse(text) : NaN
  return Number.isFinite(ms) ? ms : null
}

const write = (ms: number): string => new Date(ms).toISOString().replace('.000Z', 'Z')

/** From a link's query; what is missing or no time is null. */
export function parsePlace(query: Record<string, unknown>): Place {
  const [start, end] = [read(query['from']), read(query['to'])]
  return {
    window: start !== null && end !== null && start < end ? { start, end } : null,
    needle: read(query['at']),
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
