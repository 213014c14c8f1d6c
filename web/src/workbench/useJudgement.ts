import { useIsFetching } from '@tanstack/vue-query'
import { refThrottled } from '@vueuse/core'
import { computed, ref, watch, type ComputedRef, type Ref } from 'vue'
import type { Archive, Diagnosis, Finding, Gap } from '../api/client'
import { useDiagnosis, useGaps } from '../api/queries'
import { toMs, toMsOrNull } from '../model/instant'
import type { Span } from '../model/span'
import type { WindowData } from './useWindowData'

const JUDGE_EVERY_MS = 4_000
const DRAWN_FIRST = new Set(['series', 'strain'])

export interface Judgement {
  diagnosis: Ref<Diagnosis | undefined>
  isPending: Ref<boolean>
  findings: ComputedRef<Finding[]>
  /** Of the whole archive, with their reasons. */
  gaps: ComputedRef<Gap[]>
  /** The same as spans; null until they are loaded. */
  gapSpans: ComputedRef<Span[] | null>
}

/**
 * What can be said of the whole archive. Requested for after the map and the strips, which can be looked at meanwhile: to go
 * through all of a long recording would hold both up.
 */
export function useJudgement(
  id: Ref<string>,
  archive: Ref<Archive | undefined>,
  window: WindowData,
): Judgement {
  const drawing = useIsFetching({ predicate: ({ queryKey }) => DRAWN_FIRST.has(String(queryKey[0])) })
  const drawn = ref<string | null>(null)
  watch(
    [drawing, window.set, window.error, window.measures, id],
    ([fetching, now, failed, names, current]) => {
      if (fetching === 0 && (now || failed || !names.length)) drawn.value = current
    },
  )
  const drawnId = computed(() => (drawn.value === id.value ? id.value : null))
  const grown = refThrottled(
    computed(() => toMsOrNull(archive.value?.end ?? null)),
    JUDGE_EVERY_MS,
    true,
    true,
  )
  const until = computed(() => (drawnId.value === null ? null : grown.value))
  const { data: diagnosis, isPending } = useDiagnosis(id, until)
  const { data: gapSet } = useGaps(drawnId)
  return {
    diagnosis,
    isPending,
    findings: computed(() => diagnosis.value?.findings ?? []),
    gaps: computed(() => gapSet.value?.gaps ?? []),
    gapSpans: computed(
      () => gapSet.value?.gaps.map((gap) => ({ start: toMs(gap.start), end: toMs(gap.end) })) ?? null,
    ),
  }
}
