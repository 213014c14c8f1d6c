/** Corrections of how printed text is read: what the words of a line are. */

import type { TextLayout } from '../api/imports'

export type Role = 'value' | 'time' | 'device'

export const ROLES: Record<Role, string> = {
  value: 'a value',
  time: 'says when',
  device: 'says of what',
}

export const roleOf = (layout: TextLayout, place: number): Role =>
  layout.times.includes(place) ? 'time' : layout.devices.includes(place) ? 'device' : 'value'

/** The next meaning of a word: a value, when, of what, and a value again. */
export function turned(layout: TextLayout, place: number): TextLayout {
  const others = (places: number[]): number[] => places.filter((each) => each !== place)
  const added = (places: number[]): number[] => [...others(places), place].sort((a, b) => a - b)
  const next: Record<Role, Pick<TextLayout, 'times' | 'devices'>> = {
    value: { times: added(layout.times), devices: others(layout.devices) },
    time: { times: others(layout.times), devices: added(layout.devices) },
    device: { times: others(layout.times), devices: others(layout.devices) },
  }
  return { ...layout, ...next[roleOf(layout, place)] }
}

/** Another line as the head: words keep their meanings as far as there are any. */
export const withHead = (layout: TextLayout, words: string[]): TextLayout => ({
  ...layout,
  head: words,
  times: layout.times.filter((place) => place < words.length),
  devices: layout.devices.filter((place) => place < words.length),
})

export const isHead = (layout: TextLayout, words: string[]): boolean =>
  words.length > 0 && words.join(' ') === layout.head.join(' ')

/** Beginnings of lines, one a line of the field. */
export const readLines = (text: string): string[] => text.split('\n').filter((line) => line.trim() !== '')
