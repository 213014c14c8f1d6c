/** How long the bins are whose means strips show: by themselves as long as a pixel, or as chosen. */

import { lengthOf, type Span } from './span'

const [MINUTE, HOUR] = [60, 3_600]
/** Widths to choose from, in seconds. */
export const WIDTHS_S = [
  1,
  5,
  10,
  15,
  30,
  MINUTE,
  5 * MINUTE,
  10 * MINUTE,
  15 * MINUTE,
  30 * MINUTE,
  HOUR,
  6 * HOUR,
  24 * HOUR,
] as const
export type WidthS = (typeof WIDTHS_S)[number]

/** So many bins of each line are drawn at most. */
const MOST_BINS = 5_000

/** Whether bins of this length are few enough in a window. */
export const fits = (width: WidthS, window: Span): boolean => lengthOf(window) / 1000 / width <= MOST_BINS

/** A width as a link names it, in seconds; null for what is none. */
export const readWidth = (text: unknown): WidthS | null =>
  WIDTHS_S.find((width) => String(width) === text) ?? null
