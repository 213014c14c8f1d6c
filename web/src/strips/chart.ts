import type uPlot from 'uplot'
import type { Series, SeriesSet } from '../api/client'
import type { StripPlan } from '../model/layouts'
import type { Span } from '../model/span'

/** What a strip draws: columns on one time axis, for uPlot, and what belongs to each. */
export interface StripData {
  times: number[]
  binMs: number | null
  /** Per trace, its values; stacked ones are not yet summed. */
  values: (number | null)[][]
  /** The lowest and highest of each bin, for a strip of one trace. */
  band: { low: (number | null)[]; high: (number | null)[] } | null
  series: (Series | undefined)[]
  /** What a stack adds up to, as the server derived it. */
  whole: Series | undefined
  missing: string | null
}

const EMPTY: StripData = {
  times: [],
  binMs: null,
  values: [],
  band: null,
  series: [],
  whole: undefined,
  missing: null,
}

/** Pick a strip's series out of the set. Traces of one strip come from one kernel file, so they share their times. */
export function stripData(plan: StripPlan, set: SeriesSet | undefined): StripData {
  if (!set) return EMPTY
  const named = (measure: string): Series | undefined =>
    set.series.find((one) => one.measure === measure && one.device === null)
  const series = plan.traces.map((trace) => named(trace.measure))
  const whole = plan.stackedTo ? named(plan.stackedTo) : undefined
  const present = series.filter((one): one is Series => one !== undefined && one.missing === null)
  const first = present[0]
  if (!first)
    return { ...EMPTY, series, missing: series.find((one) => one?.missing)?.missing ?? 'Nothing recorded.' }
  const times = set.times_ms[first.times] ?? []
  const unknown = times.map(() => null)
  const values = series.map((one) => (one && one.times === first.times && !one.missing ? one.mean : unknown))
  const band = !plan.stackedTo && first.low && first.high ? { low: first.low, high: first.high } : null
  return {
    times,
    binMs: first.bin_s === null ? null : first.bin_s * 1000,
    values,
    band,
    series,
    whole,
    missing: null,
  }
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
  const values = data.values[0] ?? []
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
  const columns = plan.stackedTo
    ? stacked(data.values).slice(-1)
    : [...data.values, ...(data.band ? [data.band.high] : [])]
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

/** uPlot's columns: time, then band or layers, then lines. */
export function plotColumns(plan: StripPlan, data: StripData): uPlot.AlignedData {
  if (plan.stackedTo) return [data.times, ...stacked(data.values).reverse()]
  return [data.times, ...(data.band ? [data.band.high, data.band.low] : []), ...data.values]
}

/** uPlot only draws here: axes, legend, cursor and needle are the page's own. */
export function plotOptions(
  plan: StripPlan,
  hasBand: boolean,
  inks: Inks,
  size: { width: number; height: number },
): uPlot.Options {
  const line = (weight: number, dashed = false): uPlot.Series => ({
    stroke: mix(inks, weight),
    width: 1.25,
    points: { show: false },
    spanGaps: false,
    ...(dashed ? { dash: [4, 3] } : {}),
  })
  const layers = [...plan.traces].reverse().map((trace, index) => ({
    ...line(1),
    width: index === 0 ? 1 : 0,
    fill: mix(inks, trace.weight * 0.72),
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
            ...plan.traces.map((trace) => line(trace.weight, trace.dashed)),
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
