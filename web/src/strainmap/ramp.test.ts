import { describe, expect, it } from 'vitest'
import { painted, parseHex, PIXELS, rampOf } from './ramp'

describe('the ramp', () => {
  const ramp = rampOf(['#f6f2e9', '#e8c48b', '#6b1d10'].map(parseHex))

  it('begins and ends with its stops, and has one colour a percent', () => {
    expect(ramp).toHaveLength(101)
    expect(ramp[0]).toEqual([246, 242, 233])
    expect(ramp[50]).toEqual([232, 196, 139])
    expect(ramp[100]).toEqual([107, 29, 16])
  })

  it('grows darker with every step, so that it can be read without colours', () => {
    const light = ramp.map(([red, green, blue]) => 0.2126 * red + 0.7152 * green + 0.0722 * blue)
    for (let at = 1; at < light.length; at++) expect(light[at]).toBeLessThan(light[at - 1] ?? 0)
  })

  it('paints the highest along the top, the mean below, and nothing where nothing was seen', () => {
    const pixels = painted([0, null], [100, null], ramp)
    expect([...pixels.slice(0, 4)]).toEqual([107, 29, 16, 255])
    expect([...pixels.slice(8, 12)]).toEqual([246, 242, 233, 255])
    for (let y = 0; y < PIXELS; y++) expect(pixels[(y * 2 + 1) * 4 + 3]).toBe(0)
  })
})
