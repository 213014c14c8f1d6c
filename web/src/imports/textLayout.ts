/** Corrections of how printed text is read: what the words of a line are. */

import type { LookColumn, Meaning, TextLayout } from '../api/imports'

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

/** A printed name, with all that it is of. */
export interface PrintedName {
  name: string
  devices: string[]
  /** Of the first one. */
  cells: string[]
  values: (number | null)[]
  /** null where it is left out. */
  meaning: Meaning | null
}

/** A name means the same whatever it is of. It is left out where it is so of all, not where one of them is. What the
 * layout says stands before what was last seen: a look at the file may be under way.
 */
export function printedNames(columns: LookColumn[], said: TextLayout['names']): PrintedName[] {
  const found = new Map<string, PrintedName>()
  for (const { name, device, cells, values, meaning } of columns) {
    const known = found.get(name)
    if (!known) {
      found.set(name, { name, devices: [device], cells, values, meaning })
      continue
    }
    known.devices.push(device)
    if (!known.meaning && meaning) Object.assign(known, { cells, values, meaning })
  }
  return [...found.values()].map((printed) => {
    const own = said[printed.name]
    return own === undefined ? printed : { ...printed, meaning: own }
  })
}

/** The same layout with another meaning of a name; null leaves it out, and nothing to change makes it a guess again. */
export function withName(
  layout: TextLayout,
  { name, meaning }: Pick<PrintedName, 'name' | 'meaning'>,
  change: Partial<Meaning> | null,
): TextLayout {
  const others = Object.entries(layout.names).filter(([other]) => other !== name)
  if (change !== null && !meaning) return { ...layout, names: Object.fromEntries(others) }
  const now = change === null || !meaning ? null : { ...meaning, ...change }
  return { ...layout, names: { ...Object.fromEntries(others), [name]: now } }
}
