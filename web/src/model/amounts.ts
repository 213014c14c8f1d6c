/** Values with their units, always printed together: by choice bits or bytes, powers of 1000 or 1024, cores or a share. */

import { reactive } from 'vue'
import type { Unit as ApiUnit } from '../api/client'
import { spellFixed, spellShort } from './numbers'

/** What a value is printed in: the API's units, and bits for links, of which a value still counts bytes. */
export type Unit = ApiUnit | 'bits/s'

export interface Scale {
  /** What a value is divided by before it is printed. */
  by: number
  /** What is printed behind it. */
  unit: string
  digits: number
}

/** What links carry is given in. */
export type LinkUnit = 'bits' | 'bytes'
/** Powers of 1024 for bytes and of 1000 for bits, as is usual; or one of them (SI, IEC) for both. */
export type Prefixes = 'usual' | 'SI' | 'IEC'
/** Processor time is given in cores, or as a share of all that the machine has. */
export type ProcessorUnit = 'cores' | 'share'

/** How all amounts are given, for everything that prints one. */
export const amountChoices = reactive<{
  links: LinkUnit
  prefixes: Prefixes
  processor: ProcessorUnit
  /** How many the open host has; while that is unknown, shares of them are not. */
  cores: number | null
}>({ links: 'bits', prefixes: 'usual', processor: 'cores', cores: null })

const BINARY: [number, string][] = [
  [2 ** 40, 'Ti'],
  [2 ** 30, 'Gi'],
  [2 ** 20, 'Mi'],
  [2 ** 10, 'Ki'],
  [1, ''],
]
const DECIMAL: [number, string][] = [
  [1e12, 'T'],
  [1e9, 'G'],
  [1e6, 'M'],
  [1e3, 'k'],
  [1, ''],
]

const pick = (steps: [number, string][], highest: number): [number, string] =>
  steps.find(([size]) => highest >= size) ?? steps[steps.length - 1] ?? [1, '']

const digitsFor = (value: number): number => (value >= 100 ? 0 : value >= 10 ? 1 : 2)

/** One scale for all numbers of a picture, from the highest of them. Bits per second are given as bytes per second. */
export function scaleFor(unit: Unit, highest: number): Scale {
  const top = Math.abs(highest)
  switch (unit) {
    case 'share':
      return { by: 0.01, unit: '%', digits: top < 0.1 ? 1 : 0 }
    case 'bytes':
    case 'bytes/s': {
      const [by, prefix] = pick(amountChoices.prefixes === 'SI' ? DECIMAL : BINARY, top)
      const name = `${prefix}B`
      return { by, unit: unit === 'bytes' ? name : `${name}/s`, digits: by === 1 ? 0 : digitsFor(top / by) }
    }
    case 'bits/s': {
      if (amountChoices.links === 'bytes') return scaleFor('bytes/s', highest)
      const [by, prefix] = pick(amountChoices.prefixes === 'IEC' ? BINARY : DECIMAL, top * 8)
      return { by: by / 8, unit: `${prefix}bit/s`, digits: digitsFor((top * 8) / by) }
    }
    case 's':
      return top >= 1
        ? { by: 1, unit: 's', digits: 2 }
        : { by: 1e-3, unit: 'ms', digits: top >= 0.1 ? 0 : top >= 0.01 ? 1 : 2 }
    case '1/s': {
      const [by, name] = pick(DECIMAL, top / 10)
      // A few a minute are some hundredths a second.
      return { by, unit: `${name}/s`, digits: top < 0.5 ? 3 : digitsFor(top / by) }
    }
    case 'count':
      return { by: 1, unit: '', digits: digitsFor(top) }
    case 'cores': {
      const { processor, cores } = amountChoices
      if (processor === 'share' && cores !== null)
        return { by: cores / 100, unit: '% of all', digits: top < cores * 0.1 ? 1 : 0 }
      return { by: 1, unit, digits: digitsFor(top) }
    }
    case 'tasks':
    case 'W':
      return { by: 1, unit, digits: digitsFor(top) }
    case '°C':
      return { by: 1, unit, digits: 1 }
    case '1/min':
      return { by: 1, unit: '/min', digits: 0 }
    case 'Hz': {
      const [by, prefix] = pick(DECIMAL, top)
      return { by, unit: `${prefix}Hz`, digits: digitsFor(top / by) }
    }
  }
}

/** The number alone, on a scale. */
export function spellNumber(value: number | null | undefined, scale: Scale): string {
  return value === null || value === undefined || Number.isNaN(value)
    ? '–'
    : spellFixed(value / scale.by, scale.digits)
}

/** A round number without needless zeros, for axes. */
export const spellRound = (value: number, scale: Scale): string => spellShort(value / scale.by)

const MOST_DIGITS = 4

/** The scale with as many digits as it takes for a small value not to read as nothing. */
export function digitsToShow(value: number, scale: Scale): Scale {
  const shown = Math.abs(value / scale.by)
  if (shown === 0 || shown >= 0.5 * 10 ** -scale.digits) return scale
  return { ...scale, digits: Math.min(Math.ceil(-Math.log10(shown)), MOST_DIGITS) }
}

/** The number with its unit, on a scale of its own. */
export function spellAmount(
  value: number | null | undefined,
  unit: Unit,
  scale = scaleFor(unit, value ?? 0),
): string {
  if (value === null || value === undefined || Number.isNaN(value)) return '–'
  return `${spellNumber(value, scale)}${scale.unit ? `\u2009${scale.unit}` : ''}`
}

/** A round top for an axis: at least `highest`, at 1, 2, 3, 4, 5, 6 or 8 times a power of ten of the scale's unit. */
export function roundTop(highest: number, scale: Scale): number {
  const value = highest / scale.by
  if (!(value > 0)) return scale.by
  const power = 10 ** Math.floor(Math.log10(value))
  const step = [1, 1.5, 2, 3, 4, 5, 6, 8, 10].find((each) => each * power >= value * 0.999) ?? 10
  return step * power * scale.by
}
