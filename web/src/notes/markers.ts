import { toMs } from '../model/instant'
import type { Gap, Marker } from '../api/client'
import { shareAt, type Span } from '../model/span'

export type Severity = NonNullable<Marker['severity']>

/** As bad as that and worse; the first is what the panel begins with. */
export const LEVELS: { severity: Severity; label: string }[] = [
  { severity: 'warning', label: 'warnings and worse' },
  { severity: 'error', label: 'errors and worse' },
  { severity: 'informational', label: 'all but debugging' },
  { severity: 'debug', label: 'everything' },
]

const WORSE: Severity[] = ['emergency', 'alert', 'critical', 'error']

/** How a marker is drawn: never by colour alone. */
export type Shape = 'note' | 'change' | 'stretch' | 'bad' | 'warning' | 'plain'

const CHANGE = 'change/'

export function shapeOf(marker: Marker): Shape {
  if (marker.ident.startsWith(CHANGE)) return 'change'
  if (marker.kind === 'note' && marker.end === null) return 'note'
  if (marker.end !== null) return 'stretch'
  if (marker.severity && WORSE.includes(marker.severity)) return 'bad'
  return marker.severity === 'warning' ? 'warning' : 'plain'
}

/** A place on the lane, with all that fall on it. */
export interface Place {
  from: number
  to: number
  shape: Shape
  markers: Marker[]
}

const ORDER: Shape[] = ['plain', 'warning', 'bad', 'change', 'note']

/** Instants that would lie on top of each other become one mark, drawn as the weightiest of them. */
export function placesOf(markers: Marker[], window: Span, steps: number): Place[] {
  const stretches: Place[] = []
  const instants = new Map<number, Place>()
  for (const marker of markers) {
    const from = shareAt(window, toMs(marker.at))
    const shape = shapeOf(marker)
    if (shape === 'stretch') {
      const to = shareAt(window, toMs(marker.end ?? marker.at))
      if (to > 0 && from < 1)
        stretches.push({ from: Math.max(from, 0), to: Math.min(to, 1), shape, markers: [marker] })
      continue
    }
    if (from < 0 || from > 1) continue
    const step = Math.round(from * steps)
    const known = instants.get(step)
    if (!known) instants.set(step, { from, to: from, shape, markers: [marker] })
    else {
      known.markers.push(marker)
      if (ORDER.indexOf(shape) > ORDER.indexOf(known.shape)) known.shape = shape
    }
  }
  return [...stretches, ...instants.values()]
}

/** Why nothing was recorded in a gap, where a recorder reported it. */
export function reasonOf(gap: Span, markers: Marker[]): string | null {
  const reported = markers.find(
    (item) => item.kind === 'gap' && toMs(item.at) < gap.end && toMs(item.end ?? item.at) > gap.start,
  )
  return reported?.text ?? null
}

const DAMAGED = 'damaged'

/** A stretch without values, and why, where that is known. */
export interface Hatched extends Span {
  reason: string | null
}

/** The gaps of the strips, with the stretches that are damaged: those give their reason to gaps, or are gaps of their own. */
export function withDamage(gaps: Hatched[], reported: Gap[], window: Span): Hatched[] {
  const damaged = reported
    .filter((item) => item.reason?.startsWith(DAMAGED))
    .map((item) => ({ start: toMs(item.start), end: toMs(item.end), reason: item.reason }))
    .filter((item) => item.start < window.end && item.end > window.start)
  const meets = (item: Span, other: Span): boolean => item.start < other.end && item.end > other.start
  const explained = gaps.map((gap) => ({
    ...gap,
    reason: gap.reason ?? damaged.find((item) => meets(item, gap))?.reason ?? null,
  }))
  return [...explained, ...damaged.filter((item) => !gaps.some((gap) => meets(item, gap)))].sort(
    (item, other) => item.start - other.start,
  )
}

/** Those whose text or source holds what was typed. */
export function holding(markers: Marker[], search: string): Marker[] {
  const wanted = search.trim().toLowerCase()
  return wanted
    ? markers.filter((item) => `${item.source} ${item.text}`.toLowerCase().includes(wanted))
    : markers
}
