import type { Span } from '../model/span'

/** A stretch that a window can be compared with. */
export interface Reference {
  id: string
  label: string
  span: Span
}

const DAY_MS = 86_400_000
/** Of a stretch so much has to lie within what was recorded. */
const LEAST_SHARE = 0.5

const moved = ({ start, end }: Span, by: number): Span => ({ start: start + by, end: end + by })

function shareWithin(span: Span, extent: Span): number {
  const inner = Math.min(span.end, extent.end) - Math.max(span.start, extent.start)
  return Math.max(inner, 0) / (span.end - span.start)
}

/** The stretches of the same recording that a window is usually compared with, those that there are ticks of. */
export function referencesOf(window: Span, extent: Span): Reference[] {
  const length = window.end - window.start
  const every: Reference[] = [
    { id: 'before', label: 'the stretch before', span: moved(window, -length) },
    { id: 'after', label: 'the stretch after', span: moved(window, length) },
    { id: 'day', label: 'the day before', span: moved(window, -DAY_MS) },
    { id: 'next', label: 'the day after', span: moved(window, DAY_MS) },
    { id: 'week', label: 'a week before', span: moved(window, -7 * DAY_MS) },
  ]
  return every.filter(
    ({ id, span }) =>
      shareWithin(span, extent) >= LEAST_SHARE && (length <= DAY_MS || !['day', 'next'].includes(id)),
  )
}

/** What a window is compared with where nothing was chosen: yesterday says more than the minutes before. */
export function usualReference(window: Span, extent: Span): Reference | null {
  const found = referencesOf(window, extent)
  return ['day', 'before', 'next', 'after'].flatMap((id) => found.filter((item) => item.id === id))[0] ?? null
}

/** A window that can be compared: of a whole recording its second half, which has a stretch before it. */
export function comparable(window: Span, extent: Span): Span {
  return referencesOf(window, extent).length
    ? window
    : { start: window.start + (window.end - window.start) / 2, end: window.end }
}
