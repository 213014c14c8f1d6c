import type { Measure } from '../api/client'
import type { Unit } from '../model/amounts'
import { unitOf } from '../model/layouts'
import type { Readings } from './readings'

/** A measure of the machine at two moments. */
export interface Difference {
  name: string
  title: string
  unit: Unit
  then: number
  now: number
  /** 0 to 1: how much of the larger one the change is. */
  share: number
}

/** Changes below this are noise, whatever they are a share of. */
const NOISE: Record<Unit, number> = {
  cores: 0.2,
  tasks: 0.5,
  share: 0.05,
  bytes: 64 * 2 ** 20,
  'bytes/s': 2 ** 20,
  'bits/s': 125_000,
  '1/s': 50,
  s: 0.004,
  count: 0.5,
  '°C': 2,
  '1/min': 100,
  W: 5,
  Hz: 200e6,
}

/** What differs between two moments, the most first. */
export function differences(measures: Measure[], then: Readings, now: Readings): Difference[] {
  return measures
    .flatMap(({ name, title, unit }) => {
      const [before, after] = [then.any(name), now.any(name)]
      if (before === null || after === null) return []
      const noise = NOISE[unit]
      const share = Math.abs(after - before) / (Math.max(Math.abs(before), Math.abs(after)) + noise)
      const row = { name, title, unit: unitOf(name, unit), then: before, now: after, share }
      return Math.abs(after - before) > noise ? [row] : []
    })
    .sort((a, b) => b.share - a.share)
}
