/** Times at the edge: the API writes RFC 3339, the page counts milliseconds since the epoch. */

const FRACTION = /\.\d+/

/** Milliseconds of a time as the API writes it, to the microsecond: `Date.parse` drops what is finer than a millisecond. */
export function toMs(text: string): number {
  const fraction = FRACTION.exec(text)?.[0] ?? ''
  return Date.parse(text.replace(fraction, '')) + (fraction ? Number(fraction) * 1000 : 0)
}

/** The same for a time that may be missing. */
export const toMsOrNull = (text: string | null): number | null => (text === null ? null : toMs(text))

/** A time for the API, to the microsecond. */
export function toInstant(ms: number): string {
  const whole = Math.floor(ms / 1000) * 1000
  const fraction = ((ms - whole) / 1000)
    .toFixed(6)
    .slice(1)
    .replace(/\.?0+$/, '')
  return new Date(whole).toISOString().replace('.000Z', `${fraction}Z`)
}
