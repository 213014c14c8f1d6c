import { LAYOUTS, type KnownMeasure } from '../model/layouts'
import { spellWindow, type Zone } from '../model/clock'
import type { Span } from '../model/span'
import type { Entry } from './entries'

/** What may be meant before anything is typed, and what is near to what was typed in vain. */

export interface Hurt {
  id: string
  title: string
  span: Span
}

const MOST_HURTS = 5
const MOST_NEAR = 5
/** Of all pairs of letters of both, how many have to be common to both. */
const LIKE_ENOUGH = 0.4

/** Where it hurt, worst first; what was found before; the layouts. */
export function suggested(
  hurts: readonly Hurt[],
  before: readonly string[],
  measures: readonly KnownMeasure[],
  zone: Zone,
): Entry[] {
  return [
    ...hurts.slice(0, MOST_HURTS).map(({ id, title, span }): Entry => ({
      kind: 'span',
      id,
      title,
      note: spellWindow(span.start, span.end, zone),
      span,
    })),
    ...before.flatMap((name): Entry[] => {
      const [own = '', device = null] = name.split('@')
      const measure = measures.find((known) => known.name === own)
      const title = device === null ? measure?.title : `${measure?.title ?? ''} of ${device}`
      return measure && title
        ? [{ kind: 'measure', id: name, title, note: 'as before', measure, device }]
        : []
    }),
    ...LAYOUTS.filter((layout) => layout.id !== 'device').map((layout): Entry => ({
      kind: 'layout',
      id: layout.id,
      title: layout.title,
      note: layout.note,
      layout: layout.id,
    })),
  ]
}

function pairsOf(text: string): Map<string, number> {
  const out = new Map<string, number>()
  for (const word of text.toLowerCase().split(/[^\p{L}\p{N}]+/u))
    for (let at = 0; at + 1 < word.length; at++) {
      const pair = word.slice(at, at + 2)
      out.set(pair, (out.get(pair) ?? 0) + 1)
    }
  return out
}

/** How alike two texts are, 0 to 1, by the pairs of letters in them: a slip of the finger leaves most of them (Dice 1945). */
export function likeness(one: string, other: string): number {
  const [mine, its] = [pairsOf(one), pairsOf(other)]
  let common = 0
  for (const [pair, count] of mine) common += Math.min(count, its.get(pair) ?? 0)
  const total = [...mine.values(), ...its.values()].reduce((sum, count) => sum + count, 0)
  return total ? (2 * common) / total : 0
}

/** Measures whose title or name is like what was typed, the likest first. */
export function nearTo(typed: string, measures: readonly KnownMeasure[]): Entry[] {
  return measures
    .map((measure) => {
      const names = [measure.title, measure.name, ...measure.title.split(' ')]
      return { measure, like: Math.max(...names.map((name) => likeness(typed, name))) }
    })
    .filter(({ like }) => like >= LIKE_ENOUGH)
    .sort((a, b) => b.like - a.like)
    .slice(0, MOST_NEAR)
    .map(({ measure }) => ({
      kind: 'measure',
      id: measure.name,
      title: measure.title,
      note: `${measure.name}, near to what was typed`,
      measure,
      device: null,
    }))
}
