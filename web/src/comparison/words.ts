import type { Difference } from '../api/client'
import { spellAmount } from '../model/amounts'
import { unitOf } from '../model/layouts'

const MOST_TIMES = 60

/** How many times as much, or by how many per cent more or less. */
export function spellTimes(ratio: number): string {
  if (ratio >= MOST_TIMES) return `× ${MOST_TIMES} and more`
  if (ratio >= 2) return `× ${ratio.toPrecision(2).replace(/\.0$/, '')}`
  if (ratio >= 1) return `${Math.round(100 * (ratio - 1))} % more`
  return `${Math.round(100 * (1 - ratio))} % less`
}

/** What a row says in words beside its picture. */
export function rowWords(item: Difference): string {
  const unit = unitOf(item.measure, item.unit)
  const words = [spellTimes(item.ratio)]
  if (item.reference.high === 0 && item.window.mean > 0) words.push('none before')
  else if (item.window.high === 0 && item.reference.mean > 0) words.push('none any more')
  else words.push(`${item.shift > 0 ? '+' : '−'}${spellAmount(Math.abs(item.shift), unit)}`)
  if (item.likewise.length) words.push(`likewise ${listed(item.likewise)}`)
  return words.join(', ')
}

const SHOWN = 3
function listed(names: string[]): string {
  const rest = names.length - SHOWN
  return rest > 0 ? `${names.slice(0, SHOWN).join(', ')} and ${rest} more` : names.join(', ')
}

/** Everything known of a difference, for the title of its row. */
export function rowFigures(item: Difference): string {
  const unit = unitOf(item.measure, item.unit)
  const say = (value: number): string => spellAmount(value, unit)
  const over = (share: number | null): string =>
    share === null || item.threshold === null
      ? ''
      : `, ${Math.round(100 * share)} % of it at ${say(item.threshold)} and more, where rules begin`
  const side = (name: string, { low, q1, median, q3, p95, p99, high, above }: Difference['window']): string =>
    `${name}${over(above)}: low ${say(low)}, quartiles ${say(q1)} and ${say(q3)}, median ${say(median)}, p95 ${say(p95)}, p99 ${say(p99)}, high ${say(high)}`
  return [
    side('window', item.window),
    side('reference', item.reference),
    `shift ${say(item.shift)}, 95 % between ${say(item.shift_low)} and ${say(item.shift_high)}`,
    `delta ${item.delta.toFixed(2)} (${item.delta_low.toFixed(2)} to ${item.delta_high.toFixed(2)}), p ${item.p.toPrecision(1)}`,
  ].join('\n')
}

/** Title and device of a row. */
export function rowTitle({ title, device, reference_device: other }: Difference): string {
  if (!device) return title
  return other && other !== device ? `${title}, ${device} (${other} before)` : `${title}, ${device}`
}

/** The strip of a row, as a link names it. */
export const stripOfRow = ({ measure, device }: Difference): string =>
  device ? `${measure}@${device}` : measure

/** The points of a density, for a picture so wide and high; the ends lie on the ground. */
export function shapePath(shape: number[], width: number, height: number): string {
  const step = width / Math.max(shape.length - 1, 1)
  const points = shape.map(
    (value, at) => `${(at * step).toFixed(1)},${(height - value * (height - 1)).toFixed(1)}`,
  )
  return `M0,${height}L${points.join('L')}L${width},${height}Z`
}

/** A line over the elapsed share of its window, broken where nothing is known. */
export function linePath(
  times: number[],
  values: (number | null)[],
  { start, end, top }: { start: number; end: number; top: number },
  { width, height }: { width: number; height: number },
): string {
  let isOpen = false
  const out: string[] = []
  times.forEach((at, place) => {
    const value = values[place]
    if (value === null || value === undefined || at < start || at > end) {
      isOpen = false
      return
    }
    const x = ((at - start) / (end - start)) * width
    const y = height - (top > 0 ? Math.min(Math.max(value, 0) / top, 1) : 0) * (height - 2) - 1
    out.push(`${isOpen ? 'L' : 'M'}${x.toFixed(1)},${y.toFixed(1)}`)
    isOpen = true
  })
  return out.join('')
}
