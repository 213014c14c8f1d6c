import { describe, expect, it } from 'vitest'
import { toInstant, toMs, toMsOrNull } from './instant'

describe('times of the API', () => {
  it('keep their microseconds', () => {
    expect(toMs('2026-11-12T09:00:00.123456Z')).toBeCloseTo(Date.parse('2026-11-12T09:00:00Z') + 123.456, 6)
  })
  it('go there and back', () => {
    for (const text of ['2026-11-12T09:00:00.1Z', '2026-11-12T09:00:00.123456Z', '1969-12-31T23:59:59.5Z'])
      expect(toInstant(toMs(text))).toBe(text)
    expect(toInstant(0)).toBe('1970-01-01T00:00:00Z')
  })
  it('may have no fraction, or be missing', () => {
    expect(toMs('2026-11-12T09:00:00Z')).toBe(Date.parse('2026-11-12T09:00:00Z'))
    expect(toMsOrNull(null)).toBeNull()
  })
})
