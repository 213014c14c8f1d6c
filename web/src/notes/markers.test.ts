import { describe, expect, it } from 'vitest'
import type { Gap, Marker } from '../api/client'
import { toInstant } from '../model/instant'
import { holding, placesOf, reasonOf, shapeOf, withDamage } from './markers'

const WINDOW = { start: 0, end: 1000 }
const made = (at: number, more: Partial<Marker> = {}): Marker => ({
  ident: `line/${at}`,
  at: toInstant(at),
  end: null,
  kind: 'log',
  log: 'press.log',
  text: 'a line',
  source: 'lab[3]',
  severity: 'informational',
  ...more,
})

describe('markers', () => {
  it('have a shape by how bad they are', () => {
    expect(shapeOf(made(1, { severity: 'critical' }))).toBe('bad')
    expect(shapeOf(made(1, { severity: 'warning' }))).toBe('warning')
    expect(shapeOf(made(1))).toBe('plain')
    expect(shapeOf(made(1, { kind: 'note', severity: null }))).toBe('note')
    expect(shapeOf(made(1, { kind: 'gap', severity: null, end: toInstant(5) }))).toBe('stretch')
  })

  it('that would hide each other are one mark, drawn as the worst', () => {
    const places = placesOf([made(500), made(501, { severity: 'error' }), made(900)], WINDOW, 100)
    expect(places.map((place) => [place.shape, place.markers.length])).toEqual([
      ['bad', 2],
      ['plain', 1],
    ])
  })

  it('outside the window are left out, and stretches are cut to it', () => {
    const stretch = made(-500, { kind: 'gap', end: toInstant(100) })
    const places = placesOf(
      [stretch, made(-1), made(1001), made(2000, { end: toInstant(3000) })],
      WINDOW,
      100,
    )
    expect(places.map((place) => [place.from, place.to])).toEqual([[0, 0.1]])
  })

  it('tell why a gap is one', () => {
    const reported = made(100, { kind: 'gap', end: toInstant(300), text: 'the spool was full' })
    expect(reasonOf({ start: 200, end: 400 }, [made(250), reported])).toBe('the spool was full')
    expect(reasonOf({ start: 301, end: 400 }, [reported])).toBeNull()
  })

  it('are found by text or program', () => {
    expect(holding([made(1), made(2, { text: 'out of PAPER' })], 'paper')).toHaveLength(1)
    expect(holding([made(1), made(2)], 'LAB[3]')).toHaveLength(2)
  })
})

describe('what is damaged', () => {
  const reported = (start: number, end: number, reason: string | null): Gap => ({
    start: toInstant(start),
    end: toInstant(end),
    reason,
  })
  const damaged = 'damaged: all columns of cpu (a checksum)'

  it('says why a gap of the strips is there', () => {
    const gaps = [{ start: 100, end: 200, reason: null }]
    expect(withDamage(gaps, [reported(120, 180, damaged)], WINDOW)).toEqual([
      { start: 100, end: 200, reason: damaged },
    ])
  })

  it('is a gap of its own where other lines go on', () => {
    const gaps = [{ start: 100, end: 200, reason: 'the recorder came late' }]
    expect(withDamage(gaps, [reported(50, 60, damaged), reported(900, 2000, damaged)], WINDOW)).toEqual([
      { start: 50, end: 60, reason: damaged },
      { start: 100, end: 200, reason: 'the recorder came late' },
      { start: 900, end: 2000, reason: damaged },
    ])
  })

  it('leaves alone what was only not recorded, and what lies outside the window', () => {
    expect(
      withDamage(
        [],
        [reported(50, 60, 'asleep'), reported(50, 60, null), reported(1500, 1600, damaged)],
        WINDOW,
      ),
    ).toEqual([])
  })
})
