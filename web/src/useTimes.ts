import { computed } from 'vue'
import { isOfSeveralDays, spellInstant, spellTime, spellWindow } from './model/clock'
import { useZone } from './usePreferences'
import { useWorkbench } from './useWorkbench'

export interface Times {
  /** An instant: its time, and its day where the archive has several. */
  at: (ms: number) => string
  /** A stretch, likewise. */
  range: (start: number, end: number) => string
}

/** Times of the open archive as people read them, in one format. */
export function useTimes(): Times {
  const bench = useWorkbench()
  const zone = useZone()
  const isDated = computed(
    () => !bench.extent || isOfSeveralDays(bench.extent.start, bench.extent.end, zone.value),
  )
  return {
    at: (ms) => (isDated.value ? spellInstant(ms, zone.value) : spellTime(ms, zone.value)),
    range: (start, end) =>
      isDated.value
        ? spellWindow(start, end, zone.value)
        : `${spellTime(start, zone.value)} – ${spellTime(end, zone.value)}`,
  }
}
