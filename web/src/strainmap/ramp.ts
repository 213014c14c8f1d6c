/** Strain as ink: one ramp from paper to deep rust, darker for more, in whole percent. */

import { inkOf } from '../ui/inks'
import type { Theme } from '../usePreferences'

export type Rgb = [number, number, number]

export const STOPS = 6

export function parseHex(text: string): Rgb {
  const value = Number.parseInt(text.trim().slice(1), 16)
  return [(value >> 16) & 255, (value >> 8) & 255, value & 255]
}

/** A colour for each percent, 0 to 100, between equally spaced stops. */
export function rampOf(stops: Rgb[]): Rgb[] {
  return Array.from({ length: 101 }, (_, percent) => {
    const place = (percent / 100) * (stops.length - 1)
    const below = Math.min(Math.floor(place), stops.length - 2)
    const [from, to] = [stops[below] ?? [0, 0, 0], stops[below + 1] ?? [0, 0, 0]]
    const mixed = from.map((part, at) => Math.round(part + (place - below) * ((to[at] ?? 0) - part)))
    return [mixed[0] ?? 0, mixed[1] ?? 0, mixed[2] ?? 0]
  })
}

/** The ramp of the theme that the page is read by. */
export const currentRamp = (theme: Theme): Rgb[] =>
  rampOf(Array.from({ length: STOPS }, (_, at) => parseHex(inkOf(`strain-${at}`, theme))))

/** Rows of pixels that a bin is painted with: the first tells its highest, so that no spike hides in a mean. */
export const PIXELS = 5

/** RGBA of a row of bins, `PIXELS` high; transparent where nothing was observed. */
export function painted(
  mean: (number | null)[],
  high: (number | null)[],
  ramp: Rgb[],
): Uint8ClampedArray<ArrayBuffer> {
  const bins = mean.length
  const out = new Uint8ClampedArray(bins * PIXELS * 4)
  for (let y = 0; y < PIXELS; y++) {
    const values = y === 0 ? high : mean
    for (let x = 0; x < bins; x++) {
      const value = values[x]
      const colour = value === null || value === undefined ? undefined : ramp[value]
      if (colour) out.set([...colour, 255], (y * bins + x) * 4)
    }
  }
  return out
}
