/** Numbers as this browser's reader writes them. What is copied and saved for programs is written otherwise (RFC 4180). */

/** A number of four digits reads as well without a mark among them, a long one does not. */
const WHERE_LONG = 'min2'

interface Numbers {
  /** With so many digits behind the point, no more and no less. */
  fixed: (value: number, digits: number) => string
  /** How many of something there are. */
  count: (value: number) => string
  /** At most four digits that count, and no needless zeros. */
  short: (value: number) => string
}

/** How the readers of some languages write numbers, the first that is known. */
export function numbersOf(languages: readonly string[]): Numbers {
  const own = [...languages]
  const fixed = new Map<number, Intl.NumberFormat>()
  const formatOf = (digits: number): Intl.NumberFormat => {
    const known = fixed.get(digits)
    if (known) return known
    const made = new Intl.NumberFormat(own, {
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
      useGrouping: WHERE_LONG,
    })
    fixed.set(digits, made)
    return made
  }
  const count = new Intl.NumberFormat(own, { maximumFractionDigits: 0 })
  const short = new Intl.NumberFormat(own, { maximumSignificantDigits: 4, useGrouping: WHERE_LONG })
  return {
    fixed: (value, digits) => formatOf(digits).format(value),
    count: (value) => count.format(value),
    short: (value) => short.format(value),
  }
}

const here = numbersOf(typeof navigator === 'undefined' ? [] : navigator.languages)
export const { fixed: spellFixed, count: spellCount, short: spellShort } = here

/** A number as it is typed, with a point or a comma; null for what is none. */
export function parseNumber(text: string): number | null {
  const plain = text.trim().replace(',', '.')
  return /^-?(\d+(\.\d*)?|\.\d+)$/.test(plain) ? Number(plain) : null
}
