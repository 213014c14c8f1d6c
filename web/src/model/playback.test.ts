import { describe, expect, it } from 'vitest'
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
