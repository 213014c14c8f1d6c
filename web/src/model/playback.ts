import { lengthOf, within, type Span } from './span'

export const PACES = [1, 10, 60, 300, 1_200, 3_600] as const
export type Pace = (typeof PACES)[number]

export interface Played {
  needle: number
  window: Span
  ended: boolean
}

/** Move the needle on by `elapsedMs` of real time. The window follows in half pages when the needle leaves it. */
export function advance(needle: number, window: Span, pace: Pace, elapsedMs: number, extent: Span): Played {
  const next = Math.min(needle + elapsedMs * pace, extent.end)
  const ended = next >= extent.end
  if (next <= window.end) return { needle: next, window, ended }
  const start = next - lengthOf(window) / 2
  return { needle: next, window: within({ start, end: start + lengthOf(window) }, extent), ended }
}

/** The same, over and over within the window. */
export function around(needle: number, window: Span, pace: Pace, elapsedMs: number): Played {
  const length = Math.max(lengthOf(window), 1)
  const from = needle < window.start || needle > window.end ? window.start : needle
  const into = (from - window.start + elapsedMs * pace) % length
  return { needle: window.start + into, window, ended: false }
}
