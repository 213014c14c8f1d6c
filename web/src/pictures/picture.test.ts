// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { scaleFor } from '../model/amounts'
import type { StripPlan } from '../model/strips'
import type { Line, StripData } from '../strips/chart'
import { drawPicture, mixed, type StripPicture } from './picture'

const START = Date.UTC(2026, 10, 12, 9)
const TIMES = [0, 1, 2, 3, 4].map((minute) => START + minute * 60_000)
const line = (label: string, values: (number | null)[]): Line => ({
  label,
  device: null,
  weight: 1,
  dash: [],
  width: 1.25,
  values,
  summary: null,
  names: [],
})
const data = (lines: Line[], more: Partial<StripData> = {}): StripData => ({
  times: TIMES,
  binMs: null,
  lines,
  found: lines.length,
  band: null,
  whole: null,
  missing: null,
  ...more,
})
const plan = (more: Partial<StripPlan> = {}): StripPlan => ({
  id: 'wait',
  title: 'Wait <per> request',
  resource: 'disk',
  unit: 's',
  note: '',
  traces: [],
  ...more,
})
const strip = (more: Partial<StripPicture> = {}): StripPicture => ({
  plan: plan(),
  data: data([line('vdc', [0, 0.01, null, 0.02, 0.04])]),
  about: 'hottest 5',
  top: 0.04,
  log: false,
  scale: scaleFor('s', 0.04),
  height: 100,
  labelled: (label) => label,
  points: 880,
  binS: null,
  ...more,
})
const HEADING = {
  host: 'stitch & sons',
  archive: 'morning',
  window: { start: START, end: START + 240_000 },
  zone: 'Europe/Berlin',
}
const ink = (name: string): string => (name === 'paper' ? '#ffffff' : '#000000')
function drawn(strips: StripPicture[]): Document {
  return new DOMParser().parseFromString(drawPicture(HEADING, strips, ink), 'image/svg+xml')
}
const words = (picture: Document): string[] =>
  [...picture.querySelectorAll('text')].map((item) => item.textContent)

describe('a picture of strips', () => {
  it('is SVG, and says what, in which unit, of which host, when and by which clock', () => {
    const picture = drawn([strip()])
    expect(picture.querySelector('parsererror')).toBeNull()
    const said = words(picture).join(' | ')
    for (const part of [
      'stitch & sons · morning',
      'Wait <per> request',
      'ms · hottest 5',
      '12 Nov 10:00:00 – 10:04:00, Berlin (UTC+1)',
      '40 ms',
      'vdc',
      '10:02',
    ])
      expect(said).toContain(part)
  })

  it('draws a line where its values are, broken where nothing is known', () => {
    const path = [...drawn([strip()]).querySelectorAll('path')].find(
      (item) => item.getAttribute('fill') === 'none',
    )
    const points = path?.getAttribute('d') ?? ''
    expect(points.match(/M/g)?.length).toBe(2)
    // From 64 on the left, over 880; 100 high, from 74 on.
    expect(points).toBe('M64.0 174.0L284.0 149.0M724.0 124.0L944.0 74.0')
  })

  it('stacks layers, and draws bands between low and high', () => {
    const layers = drawn([
      strip({
        plan: plan({ stackedTo: 'cpu.busy', unit: 'cores' }),
        data: data([line('user', [1, 1, 1, 1, 1]), line('system', [1, 1, 1, 1, 1])]),
        top: 4,
      }),
    ])
    const fills = [...layers.querySelectorAll('path[fill^="#"]')].map((item) => item.getAttribute('d'))
    expect(fills).toHaveLength(2)
    expect(fills[0]).toContain('M64.0 149.0')
    expect(fills[1]).toContain('M64.0 124.0')
    const band = { low: [0, 0, 0, 0, 0], high: [0.04, 0.04, 0.04, 0.04, 0.04] }
    const banded = drawn([
      strip({ data: data([line('', [0.01, 0.01, 0.01, 0.01, 0.01])], { band, binMs: 60_000 }) }),
    ])
    expect(banded.querySelectorAll('path[fill^="#"]')).toHaveLength(1)
    expect(words(banded).join(' ')).toContain('means of 1 min')
  })

  it('says why a strip has nothing, and holds all strips of a layout', () => {
    const picture = drawn([strip(), strip({ data: data([], { missing: 'Nothing recorded.' }) })])
    expect(words(picture)).toContain('Nothing recorded.')
    expect(Number(picture.documentElement.getAttribute('height'))).toBe(40 + 2 * (34 + 100 + 10) + 22)
  })

  it('mixes colours', () => {
    expect([mixed('#000000', '#ffffff', 0.5), mixed('#102030', '#ffffff', 1)]).toEqual(['#808080', '#102030'])
  })
})
