import type { Fields, Hypothesis } from '../api/client'

export type Stance = 'for' | 'against' | 'context'

/** What an exhibit says of a hypothesis. */
export function stanceOf({ supporting, opposing }: Hypothesis, exhibit: string): Stance {
  if (supporting.includes(exhibit)) return 'for'
  return opposing.includes(exhibit) ? 'against' : 'context'
}

/** Hypotheses in their order; those that were removed are not there. */
export function hypothesesOf(fields: Fields): [string, Hypothesis][] {
  return Object.entries(fields.hypotheses ?? {})
    .filter((entry): entry is [string, Hypothesis] => entry[1] !== null)
    .sort(([one, a], [other, b]) => a.place - b.place || one.localeCompare(other))
}
