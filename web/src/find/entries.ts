import { LAYOUTS, type KnownMeasure, type LayoutId } from '../model/layouts'
import { spellDay, spellTime, type Zone } from '../model/clock'
import { parseTyped } from '../model/typedTime'

/** Something that can be found by typing: a time, a measure, a layout, processes. */
export type Entry =
  | { kind: 'time'; id: string; title: string; note: string; at: number }
  | { kind: 'measure'; id: string; title: string; note: string; measure: KnownMeasure }
  | { kind: 'layout'; id: string; title: string; note: string; layout: LayoutId }
  | { kind: 'processes'; id: string; title: string; note: string; text: string }

const MOST = 12

/** How well a text answers what was typed: all words have to be there; the earlier and the shorter, the better. */
export function rank(text: string, words: string[]): number | null {
  const lower = text.toLowerCase()
  let worst = 0
  for (const word of words) {
    const at = lower.indexOf(word)
    if (at < 0) return null
    worst = Math.max(worst, at)
  }
  return worst + lower.length / 100
}

export interface Findable {
  measures: KnownMeasure[]
  newest: number
  zone: Zone
  earliest: number
}

/** What a typed text may mean, the likeliest first. */
export function entriesFor(typed: string, { measures, newest, earliest, zone }: Findable): Entry[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean)
  if (!words.length) return []
  const out: Entry[] = []
  const at = parseTyped(typed, newest, zone)
  if (at !== null) {
    const outside = at < earliest || at > newest
    out.push({
      kind: 'time',
      id: 'time',
      title: `${spellDay(at, zone)} ${spellTime(at, zone)}`,
      note: outside
        ? 'outside this archive: its nearest end'
        : `go there, ${zone === 'UTC' ? 'UTC' : 'local time'}`,
      at,
    })
  }
  for (const layout of LAYOUTS)
    if (layout.id !== 'device' && rank(layout.title, words) !== null)
      out.push({
        kind: 'layout',
        id: layout.id,
        title: layout.title,
        note: `layout: ${layout.note}`,
        layout: layout.id,
      })
  const found = measures
    .map((measure) => ({ measure, at: best(measure, words) }))
    .filter((item): item is { measure: KnownMeasure; at: number } => item.at !== null)
    .sort((a, b) => a.at - b.at)
    .slice(0, MOST)
  for (const { measure } of found)
    out.push({ kind: 'measure', id: measure.name, title: measure.title, note: measure.name, measure })
  out.push({
    kind: 'processes',
    id: 'processes',
    title: `Processes called “${typed.trim()}”`,
    note: 'in the moment at the needle',
    text: typed.trim(),
  })
  return out
}

/** By its name or its title; counters come after measures that answer as well. */
function best(measure: KnownMeasure, words: string[]): number | null {
  const places = [rank(measure.name, words), rank(measure.title, words), both(measure, words)].filter(
    (item): item is number => item !== null,
  )
  return places.length ? Math.min(...places) + (measure.name.startsWith('system.') ? 50 : 0) : null
}
const both = (measure: KnownMeasure, words: string[]): number | null => {
  const at = rank(`${measure.title} ${measure.name}`, words)
  return at === null ? null : at + 10
}
