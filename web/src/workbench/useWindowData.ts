import { refThrottled } from '@vueuse/core'
import { computed, ref, shallowRef, watch, type ComputedRef, type Ref, type ShallowRef } from 'vue'
import type { ApiError, Marker, Markers, SeriesSet, Usual } from '../api/client'
import { useFacts, useMarkers, useSeriesSet, useUsual } from '../api/queries'
import { fits } from '../model/averaging'
import { toMs } from '../model/instant'
import { contains, type Span } from '../model/span'
import { namesOfAll } from '../model/strips'
import { referenceSpan } from '../comparison/against'
import { changeNotes } from '../logs/lines'
import { changesOf } from '../names/facts'
import type { Severity } from '../notes/markers'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'

const FETCH_EVERY_MS = 120

export interface WindowData {
  /** Pixels that strips have for drawing. */
  width: Ref<number>
  /** The measures of all strips. */
  measures: ComputedRef<string[]>
  set: ShallowRef<SeriesSet | undefined>
  /** The names that the set is an answer to: a strip that was just added is not among them yet. */
  answered: ShallowRef<ReadonlySet<string>>
  error: Ref<ApiError | null>
  isFetching: Ref<boolean>
  /** Figures since the mark, where one is set. */
  since: ComputedRef<SeriesSet | undefined>
  /** The same measures of the reference that is drawn behind the strips; its span, too. */
  reference: ComputedRef<{ set: SeriesSet; span: Span } | null>
  /** What is usual for the measures of the strips, where that is shown. */
  usual: ComputedRef<Usual[]>
  markers: Ref<Markers | undefined>
  /** What changed about the machine in the window, as notes. */
  changes: ComputedRef<Marker[]>
  /** Log lines are shown from this severity on. */
  severity: Ref<Severity>
}

/** What the window shows: the series of all strips, and what was logged and noted meanwhile. */
export function useWindowData(id: Ref<string>): WindowData {
  const bench = useWorkbench()
  const board = useStrips()
  const width = ref(0)
  const shown = refThrottled(
    computed(() => bench.window),
    FETCH_EVERY_MS,
    true,
    true,
  )
  const measures = computed(() => namesOfAll(board.strips))
  // What was chosen for an hour would be too many bins of a week: there they are as long as a pixel.
  const means = computed(() =>
    bench.averaging !== null && shown.value && fits(bench.averaging, shown.value) ? bench.averaging : null,
  )
  const { data: newest, error, isFetching } = useSeriesSet(id, shown, width, measures, means)
  // What was drawn stays until there is something newer, also where that could not be had.
  const set = shallowRef<SeriesSet>()
  watch([newest, id], ([now], [, before]) => {
    if (now || before !== id.value) set.value = now
  })
  const answered = shallowRef<ReadonlySet<string>>(new Set())
  watch(isFetching, (fetching) => {
    if (!fetching) answered.value = new Set(measures.value)
  })
  const sinceMark = computed<Span | null>(() =>
    bench.mark !== null && shown.value && bench.mark < shown.value.end
      ? { start: bench.mark, end: shown.value.end }
      : null,
  )
  const { data: figures } = useSeriesSet(id, sinceMark, ref(1), measures)
  const before = computed(() =>
    bench.against && shown.value ? referenceSpan(shown.value, bench.against) : null,
  )
  const otherId = computed(() => bench.against?.archive ?? id.value)
  const { data: behind } = useSeriesSet(otherId, before, width, measures, means)
  const ofMeasures = computed(() => measures.value.filter((name) => !/^(use|log)\./.test(name)))
  const { data: known } = useUsual(
    id,
    shown,
    ofMeasures,
    computed(() => bench.usual),
  )
  const severity = ref<Severity>('warning')
  const { data: markers } = useMarkers(id, shown, severity)
  const { data: facts } = useFacts(id)
  const allChanges = computed(() => changeNotes(changesOf(facts.value ?? [])))
  const changes = computed(() => {
    const now = shown.value
    return now ? allChanges.value.filter((item) => contains(now, toMs(item.at))) : []
  })
  return {
    width,
    measures,
    set,
    answered,
    error,
    isFetching,
    since: computed(() => (sinceMark.value ? figures.value : undefined)),
    reference: computed(() =>
      before.value && behind.value ? { set: behind.value, span: before.value } : null,
    ),
    usual: computed(() => (bench.usual ? (known.value ?? []) : [])),
    markers,
    changes,
    severity,
  }
}
