/** What names mean, in a table with a row a value and in printed text. */

import type { LookName, Meaning, Meanings } from '../api/imports'

/** A name, with all that it is of. */
export interface NameSeen {
  name: string
  devices: string[]
  /** Of the first one. */
  cells: string[]
  values: (number | null)[]
  /** null where it is left out. */
  meaning: Meaning | null
}

/** A name means the same whatever it is of. It is left out where it is so of all, not where one of them is. What is
 * said stands before what was last seen: a look at the file may be under way.
 */
export function namesOf(seen: LookName[], said: Meanings): NameSeen[] {
  const found = new Map<string, NameSeen>()
  for (const { name, device, cells, values, meaning } of seen) {
    const known = found.get(name)
    if (!known) {
      found.set(name, { name, devices: [device], cells, values, meaning })
      continue
    }
    known.devices.push(device)
    if (!known.meaning && meaning) Object.assign(known, { cells, values, meaning })
  }
  return [...found.values()].map((each) => {
    const own = said[each.name]
    return own === undefined ? each : { ...each, meaning: own }
  })
}

/** Another meaning of a name; null leaves it out, and nothing to change makes it a guess again. */
export function withName(
  said: Meanings,
  { name, meaning }: Pick<NameSeen, 'name' | 'meaning'>,
  change: Partial<Meaning> | null,
): Meanings {
  const others = Object.entries(said).filter(([other]) => other !== name)
  if (change !== null && !meaning) return Object.fromEntries(others)
  const now = change === null || !meaning ? null : { ...meaning, ...change }
  return { ...Object.fromEntries(others), [name]: now }
}
