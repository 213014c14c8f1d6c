import { harmOf } from '../findings/harm'
import { toMs } from '../model/instant'
import type { Finding } from '../api/client'
import { titleOf } from '../findings/chain'
import { shareAt, type Span } from '../model/span'

/** A finding above the map: its stretch, the line it stands on, and where its words find room. */
export interface Bracket {
  finding: Finding
  start: string
  end: string
  from: number
  to: number
  lane: number
  text: string
  /** Beside which end the words stand; null where there is no room for them. */
  words: 'before' | 'after' | null
}

export const LANES = 2
const LETTER_PX = 5.7
const BESIDE_PX = 10

const spellFinding = (finding: Finding): string =>
  [titleOf(finding), finding.harm.seconds >= 1 ? harmOf(finding) : null].filter(Boolean).join(', ')

/** What came on several days stands above each of them. */
const timesOf = (finding: Finding): { finding: Finding; start: string; end: string }[] =>
  finding.pattern.kind === 'days'
    ? finding.occurrences.map(({ start, end }) => ({ finding, start, end }))
    : [{ finding, start: finding.start, end: finding.end }]

/**
 * Lay findings out on few lines: every one has its stretch, what only followed from another on the line above. Words go
 * where no stretch and no other words are, those of causes and of the gravest first.
 */
export function bracketsOf(findings: Finding[], extent: Span, width: number): Bracket[] {
  const gravest = [...findings].sort(
    (a, b) =>
      a.caused_by.length - b.caused_by.length || b.severity - a.severity || b.time_lost_s - a.time_lost_s,
  )
  const taken: [number, number][][] = Array.from({ length: LANES }, () => [])
  const free = (lane: number, from: number, to: number): boolean =>
    from >= 0 && to <= width && (taken[lane] ?? []).every(([start, end]) => to <= start || from >= end)
  const laid = gravest.flatMap(timesOf).map(({ finding, start, end }): Bracket => {
    const from = Math.min(Math.max(shareAt(extent, toMs(start)), 0), 1)
    const to = Math.min(Math.max(shareAt(extent, toMs(end)), from), 1)
    const lowest = finding.caused_by.length ? LANES - 2 : LANES - 1
    const lanes = Array.from({ length: lowest + 1 }, (_, at) => lowest - at)
    const lane = lanes.find((item) => free(item, ...edgesOf(from, to, width))) ?? lowest
    taken[lane]?.push(edgesOf(from, to, width))
    return { finding, start, end, from, to, lane, text: spellFinding(finding), words: null }
  })
  return laid.map((item) => {
    const [left, right] = edgesOf(item.from, item.to, width)
    const room = item.text.length * LETTER_PX + BESIDE_PX
    for (const [words, start, end] of [
      ['before', left - room, left],
      ['after', right, right + room],
    ] as const) {
      if (!free(item.lane, start, end)) continue
      taken[item.lane]?.push([start, end])
      return { ...item, words }
    }
    return item
  })
}

const LEAST_PX = 3

/** Where a stretch begins and ends, wide enough to be seen. */
const edgesOf = (from: number, to: number, width: number): [number, number] => [
  from * width,
  Math.max(to * width, from * width + LEAST_PX),
]
