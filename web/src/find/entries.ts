import { LAYOUTS, type KnownMeasure, type LayoutId } from '../model/layouts'
import { spellInstant, spellWindow, spellZone, type Zone } from '../model/clock'
import type { Span } from '../model/span'
import { parseTyped, parseTypedSpan } from '../model/typedTime'
import { meanings, PROTOCOL_COUNTER, PROTOCOLS } from './synonyms'

/** Something that can be found by typing: a time, a measure, a layout, processes. */
export type Entry =
  | { kind: 'time'; id: string; title: string; note: string; at: number }
  | { kind: 'span'; id: string; title: string; note: string; span: Span }
  | { kind: 'measure'; id: string; title: string; note: string; measure: KnownMeasure; device: string | null }
  | { kind: 'layout'; id: string; title: string; note: string; layout: LayoutId }
  | { kind: 'processes'; id: string; title: string; note: string; text: string }

const MOST = 12

/** How well a text answers what was typed: each part has to be there, by one of its meanings; the earlier and the shorter, the better. */
export function rank(text: string, parts: string[][]): number | null {
  const lower = text.toLowerCase()
  let worst = 0
  for (const meant of parts) {
    const places = meant.flatMap((word, nth) => {
      const at = lower.indexOf(word)
      // What was typed itself stands before what it may mean.
      return at < 0 ? [] : [at + (nth ? 5 : 0)]
    })
    if (!places.length) return null
    worst = Math.max(worst, Math.min(...places))
  }
  return worst + lower.length / 100
}

export interface Findable {
  measures: (KnownMeasure & { devices?: string[] })[]
  newest: number
  zone: Zone
  earliest: number
  /** Where one looks: a bare clock time is of its day. */
  near?: number
}

/** What a typed text may mean, the likeliest first. */
export function entriesFor(
  typed: string,
  { measures, newest, earliest, zone, near = newest }: Findable,
): Entry[] {
  const { text, device } = splitDevice(typed)
  const words = meanings(text)
  if (!words.length) return []
  const out: Entry[] = []
  const span = parseTypedSpan(typed, newest, zone, near)
  if (span)
    out.push({
      kind: 'span',
      id: 'span',
      title: spellWindow(span.start, span.end, zone),
      note: span.end <= earliest || span.start >= newest ? 'outside this archive' : 'look at this stretch',
      span,
    })
  const at = parseTyped(typed, newest, zone, near)
  if (at !== null) {
    const outside = at < earliest || at > newest
    out.push({
      kind: 'time',
      id: 'time',
      title: spellInstant(at, zone),
      note: outside ? 'outside this archive: its nearest end' : `go there, ${spellZone(zone)}`,
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
  const events = measures.find((measure) => measure.name === PROTOCOL_COUNTER)
  if (events)
    for (const protocol of PROTOCOLS[typed.trim().toLowerCase()] ?? []) {
      const name = `${PROTOCOL_COUNTER}{linux.network.protocol=${protocol}}`
      const title = `${events.title}, ${protocol}`
      out.push({ kind: 'measure', id: name, title, note: name, measure: { ...events, name }, device: null })
    }
  const found = measures
    .filter((measure) => device === null || measure.devices?.includes(device))
    .map((measure) => ({ measure, at: best(measure, words) }))
    .filter((item): item is { measure: KnownMeasure; at: number } => item.at !== null)
    .sort((a, b) => a.at - b.at)
    .slice(0, MOST)
  for (const { measure } of found) {
    const name = device === null ? measure.name : `${measure.name}@${device}`
    const title = device === null ? measure.title : `${measure.title} of ${device}`
    out.push({ kind: 'measure', id: name, title, note: name, measure, device })
  }
  out.push({
    kind: 'processes',
    id: 'processes',
    title: `Processes called “${typed.trim()}”`,
    note: 'in the moment at the needle',
    text: typed.trim(),
  })
  return out
}

/** "core 5" and "cpu.busy@5": a measure of one device. */
function splitDevice(typed: string): { text: string; device: string | null } {
  const named = /^([^@\s]+)@(\S+)$/.exec(typed.trim())
  if (named) return { text: named[1] ?? '', device: named[2] ?? null }
  const of = /^(.*?)\b(core|disk|interface)\s+(\S+)$/i.exec(typed.trim())
  if (!of) return { text: typed, device: null }
  const kind = { core: 'cpu.', disk: 'disk.', interface: 'net.' }[(of[2] ?? '').toLowerCase()] ?? ''
  const text = (of[1] ?? '').trim()
  return { text: text ? `${text} ${kind}` : kind, device: of[3] ?? null }
}

/** By its name or its title; counters come after measures that answer as well. */
function best(measure: KnownMeasure, words: string[][]): number | null {
  const places = [rank(measure.name, words), rank(measure.title, words), both(measure, words)].filter(
    (item): item is number => item !== null,
  )
  return places.length ? Math.min(...places) + (measure.name.startsWith('system.') ? 50 : 0) : null
}
const both = (measure: KnownMeasure, words: string[][]): number | null => {
  const at = rank(`${measure.title} ${measure.name}`, words)
  return at === null ? null : at + 10
}
