// @vitest-environment jsdom
import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { h, withDirectives } from 'vue'
import { scaleFor } from '../model/amounts'
import type { StripPicture } from '../pictures/picture'
import { pinAt, vExhibit } from './exhibitable'
import { stripOf, stripPin, zoneName } from './pins'

const START = Date.UTC(2026, 10, 13, 2)
const picture = (more: Partial<StripPicture> = {}): StripPicture => ({
  plan: { id: 'disk', title: 'Wait', resource: 'disk', unit: 's', note: '', traces: [] },
  data: {
    times: [START],
    binMs: null,
    found: 1,
    band: null,
    whole: null,
    missing: null,
    lines: [
      {
        label: 'sdb',
        device: 'sdb',
        weight: 1,
        dash: [],
        width: 1.9,
        values: [0.04],
        summary: null,
        names: ['disk.wait@sdb'],
      },
    ],
  },
  about: 'hottest 1',
  top: 0.05,
  log: false,
  scale: scaleFor('s', 0.05),
  height: 84,
  labelled: (label) => `${label}, the swap disk`,
  points: 815.4,
  binS: null,
  ...more,
})
const PLACE = {
  archive: 'c340bcf2-41a5-58c2-8ca3-6d311a958b89',
  window: { start: START, end: START + 3_600_000 },
  zone: 'UTC',
  view: '/archives/c340?from=…',
}

describe('what the server is requested to pin', () => {
  it('is the strip as it stands: its lines by their names, its edge, its points', () => {
    const strip = stripOf(picture())
    expect(strip.lines).toEqual([
      {
        names: ['disk.wait@sdb'],
        label: 'sdb, the swap disk',
        weight: 1,
        width: 1.9,
        dash: [],
        together: 'sum',
      },
    ])
    expect([strip.top, strip.width, strip.bin_s, strip.stacked]).toEqual([0.05, 815, null, false])
  })
  it('has the window to the microsecond, and the view that leads back', () => {
    expect(stripPin(PLACE, picture())).toMatchObject({
      kind: 'strip',
      start: '2026-11-13T02:00:00Z',
      end: '2026-11-13T03:00:00Z',
      view: PLACE.view,
    })
  })
  it('names a clock, also where that is the browser’s own', () => {
    expect(zoneName('Europe/Berlin')).toBe('Europe/Berlin')
    expect(zoneName('local')).toBe(Intl.DateTimeFormat().resolvedOptions().timeZone)
  })
})

describe('what lies around an element', () => {
  it('is the nearest that has something to pin', () => {
    const pin = stripPin(PLACE, picture())
    const page = mount(() =>
      withDirectives(h('section', withDirectives(h('div', h('b')), [[vExhibit, () => null]])), [
        [vExhibit, () => pin],
      ]),
    )
    // The inner one has nothing just now.
    expect(pinAt(page.get('b').element)).toBe(pin)
    expect(pinAt(document.body)).toBeNull()
  })
})
