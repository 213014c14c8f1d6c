import { describe, expect, it } from 'vitest'
import { parsePlace, placeQuery } from './link'

describe('a link', () => {
  it('reopens its place', () => {
    const window = { start: Date.parse('2026-11-12T09:00:00Z'), end: Date.parse('2026-11-12T10:00:00Z') }
    expect(parsePlace(placeQuery(window, window.start))).toEqual({
      window,
      needle: window.start,
      problem: null,
    })
  })

  it.each([
    [{ from: 'banana', to: '2026-11-12T10:00:00Z' }, 'from=banana is no time'],
    [{ at: '10' }, 'at=10 is no time'],
    [{ from: '2026-11-12T10:00:00Z', to: '2026-11-12T09:00:00Z' }, 'ends before it begins'],
  ])('that makes no sense is said to: %j', (query, problem) => {
    const place = parsePlace(query)
    expect(place.window).toBeNull()
    expect(place.problem).toContain(problem)
  })

  it('may name nothing', () => {
    expect(parsePlace({})).toEqual({ window: null, needle: null, problem: null })
  })
})
