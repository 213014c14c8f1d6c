/** What is on screen, as the server is requested to pin it: it reads the numbers again, and freezes those. */

import type { Pin, PinnedStrip } from '../api/client'
import { toInstant } from '../model/instant'
import type { Span } from '../model/span'
import type { StripPicture } from '../pictures/picture'

export interface Place {
  archive: string
  window: Span
  zone: string
  /** The address of the view, within Reditus. */
  view: string
}

interface Common {
  archive: string
  start: string
  end: string
  zone: string
  view: string
}
export const placeOf = ({ archive, window, zone, view }: Place): Common => ({
  archive,
  start: toInstant(window.start),
  end: toInstant(window.end),
  zone,
  view,
})

/** This browser's clock by its name in the time zone database. */
export const zoneName = (zone: string): string =>
  zone === 'local' ? Intl.DateTimeFormat().resolvedOptions().timeZone : zone

export function stripOf(picture: StripPicture): PinnedStrip {
  const { plan, data } = picture
  return {
    title: plan.title,
    about: picture.about,
    resource: plan.resource,
    unit: plan.unit,
    stacked: plan.stackedTo !== undefined,
    log: picture.log,
    top: picture.top > 0 ? picture.top : null,
    height: Math.min(Math.max(picture.height, 20), 600),
    width: Math.min(Math.max(Math.round(picture.points), 2), 2_000),
    bin_s: picture.binS,
    lines: data.lines.map((line) => ({
      names: line.names,
      label: picture.labelled(line.label),
      weight: line.weight,
      width: line.width,
      dash: line.dash,
      together: line.together ?? 'sum',
    })),
  }
}

export const stripPin = (place: Place, picture: StripPicture): Pin => ({
  kind: 'strip',
  ...placeOf(place),
  strip: stripOf(picture),
})

export const figuresPin = (place: Place, pictures: StripPicture[]): Pin => ({
  kind: 'figures',
  ...placeOf(place),
  strips: pictures.map(stripOf),
})

export const ticksPin = (place: Place, pictures: StripPicture[]): Pin => ({
  kind: 'ticks',
  ...placeOf(place),
  strips: pictures.map(stripOf),
})
