/** Strips as a picture to hand on: SVG that says of itself what, of which host, when, by which clock and in which unit. */

import { spellNumber, spellRound, type Scale } from '../model/amounts'
import {
  axisMoments,
  isOfSeveralDays,
  spellAxis,
  spellDay,
  spellDuration,
  spellOffset,
  spellWindow,
  spellZone,
  type Zone,
} from '../model/clock'
import { shareAt, type Span } from '../model/span'
import type { StripPlan } from '../model/strips'
import { heightOf, stacked, type StripData, type Values } from '../strips/chart'

/** A strip as it stands on the page. */
export interface StripPicture {
  plan: StripPlan
  data: StripData
  about: string
  /** The value at the upper edge. */
  top: number
  log: boolean
  scale: Scale
  /** Height of the chart, px. */
  height: number
  labelled: (label: string) => string
  /** Points that were requested at most, and the length of bins where one was chosen, s. */
  points: number
  binS: number | null
}

/** Colours as six hexadecimal digits, for not every program that reads SVG can mix any. */
export type Ink = (name: string) => string

export interface Heading {
  host: string
  archive: string
  window: Span
  zone: Zone
}

const WIDTH = 960
const [LEFT, RIGHT, HEAD, TITLE, AXIS, GAP] = [64, 16, 40, 34, 22, 10]
/** So near to the edge a label does not fit on both sides. */
const EDGE = 36
const [LINE, OUTSTANDING] = [1.25, 1.9]

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')

/** Two colours in a proportion, as `color-mix` in sRGB has it. */
export function mixed(one: string, other: string, share: number): string {
  const part = (colour: string, at: number): number =>
    Number.parseInt(colour.slice(1 + 2 * at, 3 + 2 * at), 16)
  return `#${[0, 1, 2]
    .map((at) =>
      Math.round(part(one, at) * share + part(other, at) * (1 - share))
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`
}

interface Text {
  x: number
  y: number
  size: number
  ink: string
  anchor?: 'start' | 'middle' | 'end'
  weight?: number
  serif?: boolean
}
const text = (
  words: string,
  { x, y, size, ink, anchor = 'start', weight = 400, serif = false }: Text,
): string =>
  `<text x="${x}" y="${y}" font-size="${size}" fill="${ink}" text-anchor="${anchor}" font-weight="${weight}"${
    serif ? ` font-family="'Source Serif 4 Variable', Georgia, serif"` : ''
  }>${escaped(words)}</text>`

/** A line through what is known, broken where nothing is. */
function path(times: number[], heights: Values, place: (time: number, height: number) => string): string {
  let out = ''
  let isOpen = false
  heights.forEach((height, at) => {
    const time = times[at]
    if (height === null || time === undefined) {
      isOpen = false
      return
    }
    out += `${isOpen ? 'L' : 'M'}${place(time, height)}`
    isOpen = true
  })
  return out
}

/** The area between two columns, piece by piece of what is known of both. */
function area(
  times: number[],
  upper: Values,
  lower: Values,
  place: (time: number, height: number) => string,
): string {
  let out = ''
  let [over, under]: [string[], string[]] = [[], []]
  const close = (): void => {
    if (over.length) out += `M${over.join('L')}L${under.reverse().join('L')}Z`
    ;[over, under] = [[], []]
  }
  times.forEach((time, at) => {
    const [high, low] = [upper[at] ?? null, lower[at] ?? null]
    if (high === null || low === null) {
      close()
      return
    }
    over.push(place(time, high))
    under.push(place(time, low))
  })
  close()
  return out
}

function chart(strip: StripPicture, window: Span, y: number, ink: Ink): string {
  const { plan, data, top, log, height } = strip
  const width = WIDTH - LEFT - RIGHT
  const place = (time: number, value: number): string =>
    `${(LEFT + Math.min(Math.max(shareAt(window, time), 0), 1) * width).toFixed(1)} ${(
      y +
      height * (1 - Math.min(Math.max(value, 0), 1))
    ).toFixed(1)}`
  const heights = (column: Values): Values =>
    column.map((value) => (value === null ? null : heightOf(value, top, log)))
  const [own, paper] = [ink(plan.resource), ink('paper')]
  const rule = (share: number): string =>
    `<path d="M${LEFT} ${(y + height * share).toFixed(1)}h${width}" stroke="${ink('rule-strong')}"${share === 1 ? '' : ' stroke-dasharray="1 4"'}/>`
  const parts = [rule(0), rule(0.5), rule(1)]
  if (plan.stackedTo) {
    const sums = stacked(data.lines.map((line) => line.values))
    const zero = data.times.map(() => 0)
    sums.forEach((sum, at) => {
      const fill = mixed(own, paper, (data.lines[at]?.weight ?? 1) * 0.72)
      parts.push(
        `<path d="${area(data.times, heights(sum), at ? heights(sums[at - 1] ?? []) : zero, place)}" fill="${fill}"/>`,
      )
    })
    const whole = sums.at(-1)
    if (whole)
      parts.push(`<path d="${path(data.times, heights(whole), place)}" fill="none" stroke="${own}"/>`)
    return parts.join('')
  }
  if (data.band)
    parts.push(
      `<path d="${area(data.times, heights(data.band.high), heights(data.band.low), place)}" fill="${mixed(own, paper, 0.22)}"/>`,
    )
  for (const line of data.lines)
    parts.push(
      `<path d="${path(data.times, heights(line.values), place)}" fill="none" stroke="${mixed(own, paper, line.weight)}" stroke-width="${line.width}"${
        line.dash.length ? ` stroke-dasharray="${line.dash.join(' ')}"` : ''
      }/>`,
    )
  return parts.join('')
}

/** The key to the lines: each with its sample, its name and its mean. */
function key(strip: StripPicture, y: number, ink: Ink): string {
  const { plan, data, scale } = strip
  const own = ink(plan.resource)
  let x = WIDTH - RIGHT
  const parts: string[] = []
  const shown = data.lines.slice(0, MOST_KEYS)
  for (const line of [...shown].reverse()) {
    const words = `${strip.labelled(line.label)} ${spellNumber(line.summary?.mean, scale)}`
    // Text cannot be measured here; the sans serif letters of this size are at most so wide on average.
    const wide = words.length * 6.4
    x -= wide + 22
    const sample = plan.stackedTo
      ? `<rect x="${x}" y="${y - 8}" width="9" height="9" fill="${mixed(own, ink('paper'), line.weight * 0.72)}" stroke="${ink('rule-strong')}"/>`
      : `<path d="M${x} ${y - 3.5}h12" stroke="${mixed(own, ink('paper'), line.weight)}" stroke-width="${Math.min(line.width, OUTSTANDING) || LINE}"${
          line.dash.length ? ` stroke-dasharray="${line.dash.join(' ')}"` : ''
        }/>`
    parts.push(sample, text(words, { x: x + 15, y, size: 10.5, ink: ink('soft') }))
  }
  return parts.join('')
}
const MOST_KEYS = 6

/** The strips one under the other on one time axis, as a whole SVG document. */
export function drawPicture(heading: Heading, strips: readonly StripPicture[], ink: Ink): string {
  const { window, zone } = heading
  const parts: string[] = []
  let y = HEAD
  for (const strip of strips) {
    const unit = strip.scale.unit || 'number'
    parts.push(
      text(strip.plan.title, { x: LEFT, y: y + 14, size: 15, ink: ink('ink'), weight: 600, serif: true }),
      text(
        [unit, strip.about, strip.log ? 'logarithmic' : '', averaged(strip.data)].filter(Boolean).join(' · '),
        { x: LEFT, y: y + 28, size: 10.5, ink: ink('soft') },
      ),
      key(strip, y + 14, ink),
    )
    y += TITLE
    parts.push(
      text(`${spellRound(strip.top, strip.scale)} ${strip.scale.unit}`.trim(), {
        x: LEFT - 6,
        y: y + 8,
        size: 10.5,
        ink: ink('soft'),
        anchor: 'end',
      }),
      text(strip.log ? '' : '0', {
        x: LEFT - 6,
        y: y + strip.height,
        size: 10.5,
        ink: ink('soft'),
        anchor: 'end',
      }),
      strip.data.missing
        ? text(strip.data.missing, {
            x: WIDTH / 2,
            y: y + strip.height / 2,
            size: 12,
            ink: ink('soft'),
            anchor: 'middle',
          })
        : chart(strip, window, y, ink),
    )
    y += strip.height + GAP
  }
  parts.push(axis(window, zone, y, ink))
  y += AXIS
  const when = `${spellWindow(window.start, window.end, zone)}, ${clockOf(heading)}`
  const title = `${heading.host}, ${heading.archive}: ${strips.map((strip) => strip.plan.title).join(', ')}`
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${y}" viewBox="0 0 ${WIDTH} ${y}"`,
    ` font-family="'Public Sans Variable', 'Helvetica Neue', Arial, sans-serif" role="img">`,
    `<title>${escaped(title)}</title><desc>${escaped(when)}</desc>`,
    `<rect width="100%" height="100%" fill="${ink('paper')}"/>`,
    text(`${heading.host} · ${heading.archive}`, { x: LEFT, y: 22, size: 13, ink: ink('ink'), weight: 600 }),
    text(when, { x: WIDTH - RIGHT, y: 22, size: 11, ink: ink('soft'), anchor: 'end' }),
    ...parts,
    '</svg>',
  ].join('')
}

const averaged = (data: StripData): string =>
  data.binMs === null ? '' : `means of ${spellDuration(data.binMs / 1000)}`

function clockOf({ window, zone }: Heading): string {
  const [first, last] = [spellOffset(window.start, zone), spellOffset(window.end, zone)]
  const offsets = first === last ? first : `${first}, then ${last}`
  return zone === 'UTC' ? 'UTC' : zone === 'local' ? offsets : `${spellZone(zone)} (${offsets})`
}

function axis(window: Span, zone: Zone, y: number, ink: Ink): string {
  const moments = axisMoments(window.start, window.end, 10, zone)
  const step = moments.length > 1 ? (moments[1] ?? 0) - (moments[0] ?? 0) : 60_000
  const isDated = isOfSeveralDays(window.start, window.end, zone)
  return moments
    .map((at, place) => {
      const x = LEFT + shareAt(window, at) * (WIDTH - LEFT - RIGHT)
      const label = spellAxis(at, step, zone)
      const words = isDated && place === 0 && label.includes(':') ? `${spellDay(at, zone)} ${label}` : label
      return `<path d="M${x.toFixed(1)} ${y - GAP}v4" stroke="${ink('rule-strong')}"/>${text(words, {
        x: Number(x.toFixed(1)),
        y: y + 8,
        size: 10.5,
        ink: ink('soft'),
        // What stands at the right end would be cut off.
        anchor: x > WIDTH - EDGE ? 'end' : 'middle',
      })}`
    })
    .join('')
}
