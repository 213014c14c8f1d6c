import { describe, expect, it } from 'vitest'
import { numbersOf, parseNumber } from './numbers'

describe('numbers', () => {
  it.each([
    ['1', 1],
    ['1.5', 1.5],
    ['1,5', 1.5],
    [' 0.25 ', 0.25],
    ['-3', -3],
    ['.5', 0.5],
    ['', null],
    ['1e3', null],
    ['1.000,5', null],
    ['twelve', null],
  ])('typed as “%s” are %s', (text, value) => {
    expect(parseNumber(text)).toBe(value)
  })

  it('have marks among many digits, and no needless zeros on axes', () => {
    const { fixed, count, short } = numbersOf(['en-US'])
    expect([fixed(1234.5, 1), fixed(12345, 0), count(3600), short(2.5)]).toEqual([
      '1234.5',
      '12,345',
      '3,600',
      '2.5',
    ])
  })

  it('are written as the readers of a language write them', () => {
    const { fixed, count, short } = numbersOf(['de-DE', 'en-US'])
    expect([fixed(12345.6, 1), count(3600), short(0.25)]).toEqual(['12.345,6', '3.600', '0,25'])
  })
})
