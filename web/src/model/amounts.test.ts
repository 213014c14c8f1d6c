import { afterEach, describe, expect, it } from 'vitest'
import {
  amountChoices,
  digitsToShow,
  roundTop,
  scaleFor,
  spellAmount,
  spellNumber,
  spellRound,
} from './amounts'

describe('amounts', () => {
  it.each([
    [0.5, 'share', '50\u2009%'],
    [0.024, 'share', '2.4\u2009%'],
    [2 ** 30 * 15.9, 'bytes', '15.9\u2009GiB'],
    [512, 'bytes/s', '512\u2009B/s'],
    [125_000_000, 'bits/s', '1.00\u2009Gbit/s'],
    [0.00035, 's', '0.35\u2009ms'],
    [1.5, 's', '1.50\u2009s'],
    [5.21, 'tasks', '5.21\u2009tasks'],
    [12_345, '1/s', '12.3\u2009k/s'],
    [3, 'count', '3.00'],
  ] as const)('%f %s reads %s', (value, unit, text) => {
    expect(spellAmount(value, unit)).toBe(text)
  })

  it('shows what is unknown as unknown, and not as zero', () => {
    expect(spellAmount(null, 'cores')).toBe('–')
    expect(spellNumber(undefined, scaleFor('bytes', 1))).toBe('–')
  })

  it('gives axes round tops at or above the highest value', () => {
    const scale = scaleFor('bytes/s', 76.7 * 2 ** 20)
    expect(spellRound(roundTop(76.7 * 2 ** 20, scale), scale)).toBe('80')
    for (const value of [0.013, 0.9, 1, 1.01, 7.7, 99, 100, 12_345]) {
      const own = scaleFor('count', value)
      expect(roundTop(value, own)).toBeGreaterThanOrEqual(value * 0.999)
      expect(roundTop(value, own)).toBeLessThanOrEqual(value * 1.6)
    }
  })
})

describe('digits', () => {
  it('show a small value beside a large one, and nothing as nothing', () => {
    const scale = scaleFor('bits/s', 1e8)
    expect(spellAmount(2_500, 'bits/s', digitsToShow(2_500, scale))).toBe('0.02\u2009Mbit/s')
    expect(spellAmount(0, 'bits/s', digitsToShow(0, scale))).toBe('0\u2009Mbit/s')
    expect(spellAmount(9e7, 'bits/s', digitsToShow(9e7, scale))).toBe('720\u2009Mbit/s')
  })
})

describe('units of choice', () => {
  afterEach(() => {
    Object.assign(amountChoices, { links: 'bits', prefixes: 'usual', processor: 'cores', cores: null })
  })

  it.each([
    [{ links: 'bytes' }, 125_000_000, 'bits/s', '119\u2009MiB/s'],
    [{ links: 'bytes', prefixes: 'SI' }, 125_000_000, 'bits/s', '125\u2009MB/s'],
    [{ prefixes: 'IEC' }, 2 ** 27, 'bits/s', '1.00\u2009Gibit/s'],
    [{ prefixes: 'SI' }, 6.4e9, 'bytes', '6.40\u2009GB'],
    [{ prefixes: 'IEC' }, 2 ** 30, 'bytes', '1.00\u2009GiB'],
    [{ processor: 'share', cores: 4 }, 1.5, 'cores', '38\u2009% of all'],
    [{ processor: 'share', cores: 64 }, 1.5, 'cores', '2.3\u2009% of all'],
    // Of how many, is not known: then they are cores.
    [{ processor: 'share', cores: null }, 1.5, 'cores', '1.50\u2009cores'],
  ] as const)('with %o, %f %s reads %s', (choice, value, unit, text) => {
    Object.assign(amountChoices, choice)
    expect(spellAmount(value, unit)).toBe(text)
  })

  it('leave what other things are given in', () => {
    Object.assign(amountChoices, { links: 'bytes', prefixes: 'SI', processor: 'share', cores: 4 })
    expect(spellAmount(0.5, 'share')).toBe('50\u2009%')
    expect(spellAmount(5.21, 'tasks')).toBe('5.21\u2009tasks')
  })
})
