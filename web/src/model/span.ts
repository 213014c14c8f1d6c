/** A stretch of time in milliseconds since the epoch: the window, an archive's extent. */
export interface Span {
  start: number
  end: number
}

/** The narrowest window that may be looked at. */
export const NARROWEST_MS = 1_000

export const lengthOf = (span: Span): number => span.end - span.start

export const contains = (span: Span, at: number): boolean => at >= span.start && at <= span.end

export const clampTo = (span: Span, at: number): number => Math.min(Math.max(at, span.start), span.end)

/** The same length, moved so that it lies within `extent` as far as it can. */
export function within(span: Span, extent: Span): Span {
  const length = Math.min(lengthOf(span), lengthOf(extent))
  const start = Math.min(Math.max(span.start, extent.start), extent.end - length)
  return { start, end: start + length }
}

/** Grow (factor > 1) or shrink around a moment, which keeps its place in the picture. */
export function zoomAround(span: Span, at: number, factor: number, extent: Span): Span {
  const length = Math.min(Math.max(lengthOf(span) * factor, NARROWEST_MS), lengthOf(extent))
  const share = lengthOf(span) > 0 ? (at - span.start) / lengthOf(span) : 0.5
  const start = at - share * length
  return within({ start, end: start + length }, extent)
}

/** Move by a share of its own length; positive is later. */
export function panBy(span: Span, share: number, extent: Span): Span {
  const by = lengthOf(span) * share
  return within({ start: span.start + by, end: span.end + by }, extent)
}

/** From two moments in any order, at least the narrowest window. */
export function between(a: number, b: number, extent: Span): Span {
  const start = Math.min(a, b)
  const end = Math.max(Math.max(a, b), start + NARROWEST_MS)
  return within({ start, end }, extent)
}

/** The finding's stretch with room on both sides, so that before and after can be seen. */
export function aroundStretch(stretch: Span, extent: Span): Span {
  const margin = Math.max(lengthOf(stretch) * 0.35, 15_000)
  const start = Math.max(stretch.start - margin, extent.start)
  const end = Math.min(stretch.end + margin, extent.end)
  return { start, end: Math.max(end, start + NARROWEST_MS) }
}

/** Where a moment lies in a span, 0 to 1 and beyond. */
export const shareAt = (span: Span, at: number): number => (at - span.start) / Math.max(lengthOf(span), 1)

export const momentAt = (span: Span, share: number): number => span.start + share * lengthOf(span)

/** Where both have a stretch; each list in the order of time and without overlaps. */
export function intersection(some: Span[], others: Span[]): Span[] {
  const out: Span[] = []
  let at = 0
  let other = 0
  for (;;) {
    const [one, two] = [some[at], others[other]]
    if (!one || !two) return out
    const start = Math.max(one.start, two.start)
    const end = Math.min(one.end, two.end)
    if (start < end) out.push({ start, end })
    if (one.end < two.end) at++
    else other++
  }
}
