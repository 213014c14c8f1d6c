import { describe, expect, it } from 'vitest'
import { parseTyped, parseTypedSpan } from './typedTime'

const NEWEST = Date.parse('2026-11-13T22:30:00Z') // a Friday
const typed = (text: string): string | null => {
  const at = parseTyped(text, NEWEST, 'UTC')
  return at === null ? null : new Date(at).toISOString().replace('.000Z', 'Z')
}

describe('a typed time', () => {
  it.each([
    ['14:05', '2026-11-13T14:05:00Z'],
    ['23:10', '2026-11-12T23:10:00Z'],
    ['9:30:15', '2026-11-13T09:30:15Z'],
    ['yesterday 14:05', '2026-11-12T14:05:00Z'],
    ['Yesterday', '2026-11-12T00:00:00Z'],
    ['today 06:00', '2026-11-13T06:00:00Z'],
    ['thu 9:30', '2026-11-12T09:30:00Z'],
    ['Friday 01:00', '2026-11-13T01:00:00Z'],
    ['13 Nov 06:00', '2026-11-13T06:00:00Z'],
    ['nov 13, 06:00', '2026-11-13T06:00:00Z'],
    ['24 December 12:00', '2025-12-24T12:00:00Z'],
    ['1 Feb 2025 08:00', '2025-02-01T08:00:00Z'],
    ['2026-11-13 06:00', '2026-11-13T06:00:00Z'],
    ['2026-11-13T06:00', '2026-11-13T06:00:00Z'],
    ['2026-11-13T06:00:00+02:00', '2026-11-13T04:00:00Z'],
    ['-2h', '2026-11-13T20:30:00Z'],
    ['90 min ago', '2026-11-13T21:00:00Z'],
    ['now', '2026-11-13T22:30:00Z'],
  ])('%s', (text, expected) => {
    expect(typed(text)).toBe(expected)
  })

  it.each([
    '',
    'cpu.busy',
    '25:00',
    '14:75',
    '31 Feb',
    '2026-13-01',
    '-2 parsecs',
    '14',
    'noonish',
    'disk wait',
  ])('is not read into “%s”', (text) => {
    expect(typed(text)).toBeNull()
  })
})

describe('a clock time alone', () => {
  const thursday = Date.parse('2026-11-12T15:00:00Z')
  it('is of the day that is looked at', () => {
    expect(parseTyped('10:30', NEWEST, 'UTC', thursday)).toBe(Date.parse('2026-11-12T10:30:00Z'))
  })
  it('is never later than the newest tick', () => {
    expect(parseTyped('23:10', NEWEST, 'UTC', NEWEST)).toBe(Date.parse('2026-11-12T23:10:00Z'))
  })
})

describe('a typed stretch', () => {
  it.each([
    ['12 Nov 10:00 – 12:00', '2026-11-12T10:00:00Z', '2026-11-12T12:00:00Z'],
    ['10:00-10:30', '2026-11-13T10:00:00Z', '2026-11-13T10:30:00Z'],
    ['yesterday 9:00 to 17:30', '2026-11-12T09:00:00Z', '2026-11-12T17:30:00Z'],
    ['12 Nov 22:00 .. 13 Nov 02:00', '2026-11-12T22:00:00Z', '2026-11-13T02:00:00Z'],
    ['last 15 min', '2026-11-13T22:15:00Z', '2026-11-13T22:30:00Z'],
    ['last hour', '2026-11-13T21:30:00Z', '2026-11-13T22:30:00Z'],
    ['-2h', '2026-11-13T20:30:00Z', '2026-11-13T22:30:00Z'],
  ])('%s', (text, start, end) => {
    expect(parseTypedSpan(text, NEWEST, 'UTC')).toEqual({ start: Date.parse(start), end: Date.parse(end) })
  })

  it.each(['12:00 – 10:00', 'last week of may', '10:00 –', 'disk - wait', '2026-11-13'])(
    'is not read into “%s”',
    (text) => {
      expect(parseTypedSpan(text, NEWEST, 'UTC')).toBeNull()
    },
  )
})

describe('a typed time by the clock of a place', () => {
  it.each([
    ['25 Oct 2026 01:30', '2026-10-24T23:30:00Z'],
    ['25 Oct 2026 12:00', '2026-10-25T11:00:00Z'],
    ['24 Oct 2026 12:00', '2026-10-24T10:00:00Z'],
    ['yesterday 00:30', '2026-11-11T23:30:00Z'],
    ['fri 00:10', '2026-11-12T23:10:00Z'],
  ])('%s', (text, expected) => {
    expect(parseTyped(text, NEWEST, 'Europe/Berlin')).toBe(Date.parse(expected))
  })
})
