import type { Finding } from '../api/client'
import { titleOf } from '../findings/chain'
import { spellDuration } from '../model/clock'
import { shareAt, type Span } from '../model/span'

/** A finding above the map: its stretch, the line it stands on, and where its words find room. */
export interface Bracket {
  finding: Finding
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
  `${titleOf(finding)}${finding.time_lost_s >= 1 ? `, ${spellDuration(finding.time_lost_s)} lost` : ''}`

/** Lay findings out on few lines, causes and the gravest first: theirs are the words that must find room. */
export function bracketsOf(findings: Finding[], extent: Span, width: number): Bracket[] {
  const taken: [number, number][][] = Array.from({ length: LANES }, () => [])
  const free = (lane: number, from: number, to: number): boolean =>
    from >= 0 && to <= width && (taken[lane] ?? []).every(([start, end]) => to <= start || from >= end)
  const gravest = [...findings].sort(
    (a, b) =>
      a.caused_by.length - b.caused_by.length || b.severity - a.severity || b.time_lost_s - a.time_lost_s,
  )
  return gravest.map((finding) => {
    const from = Math.min(Math.max(shareAt(extent, Date.parse(finding.start)), 0), 1)
    const to = Math.min(Math.max(shareAt(extent, Date.parse(finding.end)), from), 1)
    const text = spellFinding(finding)
    const [left, right] = [from * width, Math.max(to * width, from * width + 3)]
    const room = text.length * LETTER_PX + BESIDE_PX
    for (let lane = LANES - 1; lane >= 0; lane--) {
      for (const [words, start, end] of [
        ['before', left - room, right],
        ['after', left, right + room],
      ] as const) {
        if (!free(lane, start, end)) continue
        taken[lane]?.push([start, end])
        return { finding, from, to, lane, text, words }
      }
    }
    const lane = Array.from({ length: LANES }, (_, at) => LANES - 1 - at).find((at) => free(at, left, right))
    taken[lane ?? 0]?.push([left, right])
    return { finding, from, to, lane: lane ?? 0, text, words: null }
  })
}
