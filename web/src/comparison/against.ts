import type { Span } from '../model/span'

/** What is drawn behind the strips: another stretch, of this archive or another, so far away from the window. */
export interface Against {
  /** Of another archive; null: of this one. */
  archive: string | null
  /** From the window's beginning to the reference's, ms: it moves along with the window. */
  shift: number
}

export const referenceSpan = ({ start, end }: Span, { shift }: Against): Span => ({
  start: start + shift,
  end: end + shift,
})

/** For a link: seconds, behind the archive where it is another. */
export const writeAgainst = ({ archive, shift }: Against): string =>
  archive === null ? String(shift / 1000) : `${archive},${shift / 1000}`

const WRITTEN = /^(?:([0-9a-f-]{36}),)?(-?\d{1,12}(?:\.\d{1,6})?)$/

export function readAgainst(text: unknown): Against | null {
  const [, archive, seconds] = (typeof text === 'string' ? WRITTEN.exec(text) : null) ?? []
  if (seconds === undefined || (archive === undefined && Number(seconds) === 0)) return null
  return { archive: archive ?? null, shift: Number(seconds) * 1000 }
}
