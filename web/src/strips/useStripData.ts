import { computed, type ComputedRef } from 'vue'
import type { SeriesSet, Usual } from '../api/client'
import type { Unit } from '../model/amounts'
import { intersection, type Span } from '../model/span'
import { FOLDED, namesOf, type Strip } from '../model/strips'
import { useStrips } from '../useStrips'
import { useSession } from '../workbench/session'
import type { ChartedMeasure } from '../workbench/useKnown'
import { gapsOf, highest, stripData, type StripData } from './chart'

/** A strip with everything that is drawn and printed of it. */
export interface DrawnStrip {
  strip: Strip
  data: StripData
  /** The figures since the mark, where one is set. */
  since: StripData | null
  /** The reference that stands behind it, where one is chosen. */
  reference: { data: StripData; span: Span } | null
  /** What is usual for its heaviest line, where that is shown. */
  usual: { found: Usual; of: string } | null
  devices: string[]
  /** Where it begins, px from the top of the first. */
  offset: number
}

interface Drawn {
  rows: ComputedRef<DrawnStrip[]>
  /** What the matched strips of a unit have as their highest. */
  matchedTops: ComputedRef<Map<Unit, number>>
  /** Stretches in which no strip has a value. */
  gaps: ComputedRef<Span[]>
}

/** The data of all strips, picked out of the set of series once for all who draw or count them. */
export function useStripData(): Drawn {
  const board = useStrips()
  const { charted, window } = useSession()
  const picked = new WeakMap<SeriesSet, Map<string, StripData>>()

  function pick(strip: Strip, set: SeriesSet | undefined, measure: ChartedMeasure | undefined): StripData {
    const aliases = measure?.aliases ?? []
    if (!set) return stripData(strip, set, aliases)
    // A strip that was only moved, folded or made taller shows the same.
    const isWaiting = !namesOf(strip).every((name) => window.answered.value.has(name))
    const key = JSON.stringify([strip.plan.id, strip.devices, aliases, isWaiting])
    const known = picked.get(set) ?? new Map<string, StripData>()
    picked.set(set, known)
    const data = known.get(key) ?? stripData(strip, set, aliases, isWaiting)
    known.set(key, data)
    return data
  }

  function usualOf(strip: Strip, data: StripData): DrawnStrip['usual'] {
    const heaviest = [...data.lines].sort((a, b) => (b.summary?.mean ?? 0) - (a.summary?.mean ?? 0))[0]
    const name = strip.plan.stackedTo ?? strip.plan.traces[0]?.measure
    const device = data.whole ? data.whole.device : (heaviest?.device ?? null)
    const found = window.usual.value.find((item) => item.measure === name && item.device === device)
    const [first, ...more] = strip.plan.traces
    return found
      ? { found, of: device ?? (more.length && !strip.plan.stackedTo ? (first?.label ?? '') : '') }
      : null
  }

  const rows = computed(() => {
    let offset = 0
    return board.strips.map((strip) => {
      const measure = charted.value.find((item) => item.name === strip.plan.traces[0]?.measure)
      const data = pick(strip, window.set.value, measure)
      const row = {
        strip,
        data,
        usual: usualOf(strip, data),
        since: window.since.value ? pick(strip, window.since.value, measure) : null,
        reference: window.reference.value
          ? { data: pick(strip, window.reference.value.set, measure), span: window.reference.value.span }
          : null,
        devices: measure?.devices ?? [],
        offset,
      }
      offset += strip.folded ? FOLDED : strip.height
      return row
    })
  })
  const matchedTops = computed(() => {
    const tops = new Map<Unit, number>()
    for (const { strip, data } of rows.value) {
      if (strip.edge.kind !== 'matched' || strip.folded) continue
      const { unit } = strip.plan
      tops.set(unit, Math.max(tops.get(unit) ?? 0, highest(strip.plan, data)))
    }
    return tops
  })
  // A line may also break because there was nothing to measure: no requests, no packets. Only where all break was
  // nothing recorded.
  const gaps = computed(() => {
    const drawn = rows.value.filter(({ strip, data }) => !strip.folded && data.lines.length)
    const [first, ...others] = drawn.map(({ data }) => gapsOf(data))
    return others.reduce(intersection, first ?? [])
  })
  return { rows, matchedTops, gaps }
}
