/** Find the tick that describes a moment. A tick at time t describes the interval that ends at t. */

/** Index of the first time that is not before `at`; the length if there is none. */
export function firstNotBefore(times: ArrayLike<number>, at: number): number {
  let low = 0
  let high = times.length
  while (low < high) {
    const middle = (low + high) >> 1
    if ((times[middle] ?? Infinity) < at) low = middle + 1
    else high = middle
  }
  return low
}

/** Index of the tick, or bin, that describes the moment; null before the first and after the last. */
export function indexAt(times: ArrayLike<number>, at: number, binMs: number | null): number | null {
  if (!times.length) return null
  // Bins are reported by their middle, ticks by their end.
  const reach = binMs === null ? 0 : binMs / 2
  const index = firstNotBefore(times, at - reach)
  const last = times.length - 1
  const lastStep = last > 0 ? (times[last] ?? 0) - (times[last - 1] ?? 0) : 0
  if (index > last) return at - (times[last] ?? 0) <= lastStep ? last : null
  if (index === 0 && at < (times[0] ?? 0) - (binMs ?? 1000)) return null
  return index
}

/** The time of the tick `steps` after (or before) the one that describes `at`. */
export function stepTick(times: ArrayLike<number>, at: number, steps: number): number {
  const here = indexAt(times, at, null) ?? (steps > 0 ? -1 : times.length)
  const there = Math.min(Math.max(here + steps, 0), times.length - 1)
  return times[there] ?? at
}
