import { describe, expect, it } from 'vitest'
import { parsePlace, placeQuery } from './link'
import { advance } from './playback'

const extent = { start: 0, end: 3_600_000 }

describe('playing', () => {
  it('moves the needle by pace times the time that passed', () => {
    const played = advance(1_000, { start: 0, end: 60_000 }, 60, 16, extent)
    expect(played).toEqual({ needle: 1_960, window: { start: 0, end: 60_000 }, ended: false })
  })

  it('takes the window along when the needle leaves it', () => {
    const played = advance(59_990, { start: 0, end: 60_000 }, 10, 16, extent)
    expect(played.window.start).toBeLessThan(played.needle)
    expect(played.window.end).toBeGreaterThan(played.needle)
    expect(played.window.end - played.window.start).toBe(60_000)
  })

  it('ends at the end', () => {
    const played = advance(3_599_000, extent, 3_600, 16, extent)
    expect(played).toMatchObject({ needle: extent.end, ended: true })
  })
})

describe('links', () => {
  it('reopen the same place', () => {
    const window = { start: Date.UTC(2026, 10, 12, 9), end: Date.UTC(2026, 10, 12, 10) }
    expect(parsePlace(placeQuery(window, window.start + 1_250))).toEqual({
      window,
      needle: window.start + 1_250,
    })
  })

  it('with nonsense name no place', () => {
    expect(parsePlace({ from: 'soon', to: '2026-11-12T09:00:00Z', at: ['x'] })).toEqual({
      window: null,
      needle: null,
    })
    expect(parsePlace({ from: '2026-11-12T10:00:00Z', to: '2026-11-12T09:00:00Z' }).window).toBeNull()
  })
})
