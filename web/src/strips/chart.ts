import type uPlot from 'uplot'
import type { Series, SeriesSet } from '../api/client'
import { mostLines, type Strip, type StripPlan, type Trace } from '../model/strips'
import type { Span } from '../model/span'

export type Values = (number | null)[]
type Summary = NonNullable<Series['summary']>

/** One line or layer, as found. */
export interface Line {
  label: string
  device: string | null
  weight: number
  /** Lengths of strokes and spaces, px; none: drawn through. Lines differ by stroke as well as by ink. */
  dash: number[]
  width: number
  values: Values
  summary: Summary | null
  /** The measures that it is of, as they are requested: several where it is their sum or mean. */
  names: string[]
  together?: 'sum' | 'mean'
}

/** What a strip draws: columns on one time axis, for uPlot, and what belongs to each. */
export interface StripData {
  times: number[]
  binMs: number | null
  /** Stacked ones are not yet summed. */
  lines: Line[]
  /** How many lines there would be, were all drawn. */
  found: number
  /** The lowest and highest of each bin, for a strip of one line. */
  band: { low: Values; high: Values } | null
  /** What a stack adds up to, as the server derived it. */
  whole: Line | null
  missing: string | null
}

const EMPTY: StripData = {
  times: [],
  binMs: null,
  lines: [],
  found: 0,
  band: null,
  whole: null,
  missing: null,
}
const LIGHTEST = 0.4
/** Of many layers on top of each other, which touch. */
const LIGHTEST_LAYER = 0.12
const WIDTH = 1.25
/** The heaviest of several devices. */
const OUTSTANDING = 1.9
const DASHES: [number[], number[], ...number[][]] = [[], [5, 3], [1.5, 2.5], [7, 2, 1.5, 2]]

/**
 * Pick a strip's series out of the set. Lines of one strip come from one kernel file, so they share their times. What only
 * repeats other devices is drawn where it is requested by name. While the set does not answer for the strip yet, nothing
 * is said of it.
 */
export function stripData(
  strip: Strip,
  set: SeriesSet | undefined,
  aliases: readonly string[] = [],
  isWaiting = false,
): StripData {
  if (!set) return EMPTY
  const { plan } = strip
  const every = plan.traces.flatMap((trace) =>
    set.series
      .filter((item) => belongs(strip, trace, item))
      .filter((item) => strip.devices.kind === 'named' || !aliases.includes(item.device ?? ''))
      .map((item) => ({ trace, measured: item })),
  )
  const present = every.filter(({ measured }) => measured.missing === null)
  const first = present[0]?.measured
  if (!first && isWaiting && !every.length) return EMPTY
  if (!first)
    return {
      ...EMPTY,
      missing: every.find(({ measured }) => measured.missing)?.measured.missing ?? 'Nothing recorded.',
    }
  const times = set.times_ms[first.times] ?? []
  const unknown = times.map(() => null)
  const valuesOf = (item: Series): Values =>
    item.times === first.times && !item.missing ? item.mean : unknown
  const shown = { times, binMs: first.bin_s === null ? null : first.bin_s * 1000, missing: null }
  const together = strip.devices.kind === 'sum' || strip.devices.kind === 'mean'
  const lines = together
    ? plan.traces.map((trace) => added(trace, strip, every, valuesOf, times.length))
    : weighed(strip, plan.stackedTo ? every : present, valuesOf)
  const alone = !plan.stackedTo && lines.length === 1 && !together
  const whole = plan.stackedTo
    ? set.series.find(
        (item) =>
          item.measure === plan.stackedTo &&
          (plan.byUser ? item.device === null : isOf(strip, item.device)) &&
          !item.missing,
      )
    : undefined
  return {
    ...shown,
    lines,
    found: together ? lines.length : present.length,
    band: alone && first.low && first.high ? { low: first.low, high: first.high } : null,
    whole: whole
      ? {
          label: '',
          device: whole.device,
          weight: 1,
          dash: [],
          width: WIDTH,
          values: valuesOf(whole),
          summary: whole.summary,
          names: [nameOf(whole)],
        }
      : null,
  }
}

/** A series as it is requested: NAME or NAME@DEVICE. */
const nameOf = ({ measure, device }: Series): string => (device === null ? measure : `${measure}@${device}`)

const isOf = (strip: Strip, device: string | null): boolean =>
  strip.devices.kind === 'machine'
    ? device === null
    : device !== null && (strip.devices.kind !== 'named' || strip.devices.names.includes(device))

/** A counter stands for all of its columns, with some attributes for those that have them. */
const belongs = (strip: Strip, trace: Trace, item: Series): boolean =>
  (item.measure === trace.measure && isOf(strip, item.device)) ||
  (!strip.plan.byUser && !trace.measure.startsWith('log.') && isPartOf(trace.measure, item.measure))

function isPartOf(requested: string, measure: string): boolean {
  const [counter, attributes] = partsOf(requested)
  const [own, its] = partsOf(measure)
  return counter === own && its.length > attributes.length && attributes.every((part) => its.includes(part))
}
const partsOf = (name: string): [string, string[]] => {
  const [counter = '', inner = ''] = name.replace(/\}$/, '').split('{', 2)
  return [counter, inner.split(',').filter(Boolean)]
}

interface Found {
  trace: Trace
  measured: Series
}

/** The heaviest devices first and darkest; the traces of one device alike in weight. */
function weighed(strip: Strip, found: Found[], valuesOf: (measured: Series) => Values): Line[] {
  const partOf = (item: Series): string => item.device ?? /\{(.*)\}$/.exec(item.measure)?.[1] ?? ''
  const size = (name: string): number =>
    Math.max(
      ...found
        .filter(({ measured }) => partOf(measured) === name)
        .map(({ measured }) => measured.summary?.mean ?? -1),
    )
  const names = [...new Set(found.map(({ measured }) => partOf(measured)))]
  if (strip.devices.kind !== 'named' && !strip.plan.byUser) names.sort((a, b) => size(b) - size(a))
  const chosen = names.slice(0, mostLines(strip.devices))
  const isMany = chosen.length > 1
  return found
    .filter(({ measured }) => chosen.includes(partOf(measured)))
    .map(({ trace, measured }) => {
      const place = chosen.indexOf(partOf(measured))
      const lightest = strip.plan.byUser ? LIGHTEST_LAYER : LIGHTEST
      const fade = isMany ? 1 - (place / (chosen.length - 1)) * (1 - lightest) : 1
      const isOnly = strip.plan.traces.length === 1
      return {
        label: isMany ? (isOnly ? partOf(measured) : `${partOf(measured)} ${trace.label}`) : trace.label,
        device: measured.device,
        weight: isMany ? fade : trace.weight,
        dash: isMany && isOnly ? (DASHES[place % DASHES.length] ?? []) : trace.dashed ? DASHES[1] : [],
        width: isMany && place === 0 ? OUTSTANDING : WIDTH,
        values: valuesOf(measured),
        summary: measured.summary,
        names: [nameOf(measured)],
      }
    })
}

/** All devices as one line: their sum, or their mean. */
function added(
  trace: Trace,
  strip: Strip,
  found: Found[],
  valuesOf: (measured: Series) => Values,
  count: number,
): Line {
  const parts = found
    .filter((each) => each.trace === trace && each.measured.missing === null)
    .map(({ measured }) => measured)
  const columns = parts.map(valuesOf)
  const by = strip.devices.kind === 'mean' ? Math.max(parts.length, 1) : 1
  const values = Array.from({ length: count }, (_, at) => {
    const here = columns.flatMap((column) => column[at] ?? [])
    return here.length ? here.reduce((sum, value) => sum + value, 0) / by : null
  })
  const known = values.filter((value): value is number => value !== null)
  const means = parts.flatMap((part) => part.summary?.mean ?? [])
  const totals = parts.flatMap((part) => part.summary?.total ?? [])
  const sum = (every: number[]): number | null =>
    every.length ? every.reduce((whole, each) => whole + each, 0) / by : null
  return {
    label: trace.label,
    device: null,
    weight: trace.weight,
    dash: trace.dashed ? DASHES[1] : [],
    width: WIDTH,
    values,
    names: parts.map(nameOf),
    together: strip.devices.kind === 'mean' ? 'mean' : 'sum',
    // Of sums the percentile is not known from those of the parts, and left out.
    summary: {
      low: known.length ? Math.min(...known) : null,
      mean: sum(means),
      p95: null,
      high: known.length ? Math.max(...known) : null,
      total: sum(totals),
      coverage: Math.max(0, ...parts.map((part) => part.summary?.coverage ?? 0)),
      bin_s: null,
    },
  }
}

/** Decades that a logarithmic scale spans below its top. */
export const DECADES = 4

/** Where a value stands between the lower edge, 0, and the upper, 1. */
export function heightOf(value: number, top: number, log: boolean): number {
  if (!(top > 0)) return 0
  if (!log) return Math.min(Math.max(value / top, 0), 1)
  return value > 0 ? Math.min(Math.max(1 + Math.log10(value / top) / DECADES, 0), 1) : 0
}

/** Seconds above a line; by the means of bins where those are what is drawn. */
export function secondsAbove(data: StripData, values: Values, line: number): number {
  let above = 0
  for (let at = 0; at < values.length; at++) {
    const value = values[at]
    if (value === null || value === undefined || value <= line) continue
    const step = data.binMs ?? (data.times[at] ?? 0) - (data.times[at - 1] ?? data.times[at] ?? 0)
    above += step / 1000
  }
  return above
}

/** Running sums over layers; unknown where any layer is. */
export function stacked(layers: (number | null)[][]): (number | null)[][] {
  const sums: (number | null)[][] = []
  for (const layer of layers) {
    const below = sums[sums.length - 1]
    sums.push(
      layer.map((value, index) => {
        const base = below ? below[index] : 0
        return value === null || base === null || base === undefined ? null : base + value
      }),
    )
  }
  return sums
}

/** Stretches without observations, from one tick that is known to the next. */
export function gapsOf(data: StripData): Span[] {
  const values = data.lines[0]?.values ?? []
  const gaps: Span[] = []
  for (let at = 0; at < values.length; at++) {
    if (values[at] !== null) continue
    const first = at
    while (at + 1 < values.length && values[at + 1] === null) at++
    const start = data.times[first - 1] ?? data.times[first] ?? 0
    const end = data.times[at] ?? start
    if (end > start) gaps.push({ start, end })
  }
  return gaps
}

/** The highest value of a strip, stacked where it is. */
export function highest(plan: StripPlan, data: StripData): number {
  const values = data.lines.map((line) => line.values)
  const columns = plan.stackedTo
    ? stacked(values).slice(-1)
    : [...values, ...(data.band ? [data.band.high] : [])]
  let top = 0
  for (const column of columns) for (const value of column) if (value !== null && value > top) top = value
  return top
}

export interface Inks {
  ink: string
  paper: string
  rule: string
}

const mix = (inks: Inks, weight: number): string =>
  `color-mix(in srgb, ${inks.ink} ${Math.round(weight * 100)}%, ${inks.paper})`

/** uPlot's columns: time, then band or layers, then lines; each value as its height in the strip, 0 to 1. */
export function plotColumns(plan: StripPlan, data: StripData, top: number, log: boolean): uPlot.AlignedData {
  const values = data.lines.map((line) => line.values)
  const heights = (column: Values): Values =>
    column.map((value) => (value === null ? null : heightOf(value, top, log)))
  if (plan.stackedTo) return [data.times, ...stacked(values).reverse().map(heights)]
  const band = data.band ? [data.band.high, data.band.low] : []
  return [data.times, ...[...band, ...values].map(heights)]
}

/** uPlot only draws here: axes, legend, cursor and needle are the page's own. */
export function plotOptions(
  plan: StripPlan,
  data: StripData,
  inks: Inks,
  size: { width: number; height: number },
  highlighted: number | null = null,
): uPlot.Options {
  const hasBand = data.band !== null
  const line = (weight: number, width = WIDTH, dash: number[] = []): uPlot.Series => ({
    stroke: mix(inks, weight),
    width,
    points: { show: false },
    spanGaps: false,
    ...(dash.length ? { dash } : {}),
  })
  /** The one under the pointer is in full ink, and the others step back. */
  const standing = (at: number, weight: number): number =>
    highlighted === null ? weight : at === highlighted ? 1 : weight * 0.3
  const layers = [...data.lines].reverse().map((layer, index) => ({
    ...line(1),
    // Many layers are parted by lines of the ground's own colour.
    ...(plan.byUser && index > 0 ? { stroke: inks.paper } : {}),
    width: index === 0 || plan.byUser ? 1 : 0,
    fill: mix(inks, layer.weight * 0.72),
  }))
  const hidden: uPlot.Series = { width: 0, points: { show: false }, stroke: 'transparent', spanGaps: false }
  return {
    ...size,
    padding: [0, 0, 0, 0],
    cursor: { show: false },
    legend: { show: false },
    axes: [{ show: false }, { show: false }],
    scales: { x: { time: false, auto: false }, y: { auto: false } },
    series: [
      {},
      ...(plan.stackedTo
        ? layers
        : [
            ...(hasBand ? [hidden, { ...hidden }] : []),
            ...data.lines.map((item, at) =>
              line(standing(at, item.weight), at === highlighted ? OUTSTANDING : item.width, item.dash),
            ),
          ]),
    ],
    ...(hasBand && !plan.stackedTo
      ? { bands: [{ series: [1, 2] as [number, number], fill: mix(inks, 0.22) }] }
      : {}),
    hooks: {
      drawClear: [
        (plot) => {
          ruleLines(plot, inks)
        },
      ],
    },
  }
}

/** A base line, and a dotted rule at half and at the top. */
function ruleLines(plot: uPlot, inks: Inks): void {
  const { ctx, bbox } = plot
  ctx.save()
  ctx.strokeStyle = inks.rule
  ctx.lineWidth = 1
  for (const share of [0, 0.5, 1]) {
    const y = Math.round(bbox.top + bbox.height * share) + (share === 1 ? -0.5 : 0.5)
    ctx.setLineDash(share === 1 ? [] : [1, 4])
    ctx.beginPath()
    ctx.moveTo(bbox.left, y)
    ctx.lineTo(bbox.left + bbox.width, y)
    ctx.stroke()
  }
  ctx.restore()
}
