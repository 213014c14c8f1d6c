import { MOST_STRIPS } from '../model/strips'
import type { SavedLayout } from '../useStrips'

/** A layout as a file of its own: JSON, as docs/layouts.md describes it. */
export const LAYOUT_VERSION = 1
const [MOST_NAME, MOST_STRIP] = [120, 2_000]

export const writeLayoutFile = ({ name, strips }: Pick<SavedLayout, 'name' | 'strips'>): string =>
  `${JSON.stringify({ reditus_layout: LAYOUT_VERSION, name, strips }, null, 2)}\n`

/** What a file holds, or a sentence that says why it is no layout. */
export function readLayoutFile(text: string): Pick<SavedLayout, 'name' | 'strips'> | string {
  let found: unknown
  try {
    found = JSON.parse(text)
  } catch {
    return 'not JSON; a layout is a file that was saved here with "file"'
  }
  if (typeof found !== 'object' || found === null || !('reditus_layout' in found))
    return 'no layout: it has no "reditus_layout"'
  const { reditus_layout: version, name, strips } = found as Record<string, unknown>
  if (version !== LAYOUT_VERSION)
    return `of version ${String(version)}, and this Reditus reads ${LAYOUT_VERSION}`
  if (typeof name !== 'string' || !name.trim() || name.length > MOST_NAME)
    return `its "name" is to be a text of 1 to ${MOST_NAME} letters`
  if (!Array.isArray(strips) || !strips.length || strips.length > MOST_STRIPS)
    return `its "strips" are to be a list of 1 to ${MOST_STRIPS}`
  if (!strips.every((strip): strip is string => isStrip(strip)))
    return 'each of its "strips" is to be a text such as "cores" or "disk@top5~h180"'
  return { name: name.trim(), strips }
}

/** Letters that say how to write, not what. */
const HIDDEN = /\p{Cc}/u
const isStrip = (strip: unknown): boolean =>
  typeof strip === 'string' &&
  strip.length > 0 &&
  strip.length <= MOST_STRIP &&
  !strip.includes(';') &&
  !HIDDEN.test(strip)
