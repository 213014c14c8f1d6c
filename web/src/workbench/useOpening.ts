import { toMsOrNull } from '../model/instant'
import { refThrottled } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch, type Ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Archive, Layout } from '../api/client'
import { useLayouts } from '../api/queries'
import { planNamed, readDevice, writeDevice, type KnownMeasure } from '../model/layouts'
import { readWidth } from '../model/averaging'
import { parsePlace, placeQuery } from '../model/link'
import { within, type Span } from '../model/span'
import { readAgainst, writeAgainst } from '../comparison/against'
import { parseReading, readingQuery } from '../logs/lines'
import { useReading } from '../logs/useReading'
import { readStrips } from '../model/strips'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'

const LIVE_MS = 30_000
const LIVE_WINDOW_MS = 5 * 60_000
const LINK_EVERY_MS = 400
const PLAYING_LINK_EVERY_MS = 3_000

const spellQuery = (query: Record<string, unknown>): string =>
  JSON.stringify(Object.entries(query).sort(([one], [other]) => (one < other ? -1 : 1)))

interface Opening {
  isLive: Ref<boolean>
}

/**
 * Open an archive on the place and with the strips that its link names; else a growing one on its newest minutes, and any
 * other as a whole. From then on the link follows what is looked at.
 */
export function useOpening(
  id: Ref<string>,
  archive: Ref<Archive | undefined>,
  known: Ref<KnownMeasure[] | null>,
  /** What others count in it; null while that is not known. */
  others: Ref<KnownMeasure[] | null>,
  /** Whether it knows what its cores did; null while that is not known. */
  hasProcessor: Ref<boolean | null>,
): Opening {
  const route = useRoute()
  const router = useRouter()
  const bench = useWorkbench()
  const board = useStrips()
  const reading = useReading()
  const isLive = ref(false)
  const opened = ref<string | null>(null)

  const extent = computed<Span | null>(() => {
    const start = toMsOrNull(archive.value?.start ?? null)
    const end = toMsOrNull(archive.value?.end ?? null)
    return typeof start === 'number' && typeof end === 'number'
      ? { start, end: Math.max(end, start + 1000) }
      : null
  })
  // Strips of a link may be of any measure; what those are called has to be known first.
  const linkedStrips = computed(() =>
    typeof route.query['strips'] === 'string' ? route.query['strips'] : null,
  )
  const { data: layouts, isFetched: hasLayouts } = useLayouts()
  const savedHere = computed<Layout[]>(() =>
    (layouts.value ?? []).filter((layout) => layout.host === null || layout.host === archive.value?.host.id),
  )
  const measures = computed(() => [...(known.value ?? []), ...(others.value ?? [])])
  watch([savedHere, measures], ([own, every]) => {
    board.saved = own
    board.measures = every
  })
  /** Whether the strips to be shown may be of what others count: that has to be known first. */
  const mayBeOthers = computed(
    () =>
      archive.value?.source === 'imported' ||
      route.query['layout'] === 'others' ||
      (linkedStrips.value?.includes('other.') ?? false),
  )
  const isReady = computed(
    () =>
      hasLayouts.value &&
      (known.value !== null || (linkedStrips.value === null && !savedHere.value.length)) &&
      (!mayBeOthers.value || (others.value !== null && known.value !== null)),
  )
  /** An archive in which others counted, and no recorder, opens with what they counted. */
  const layoutOf = (named: unknown): unknown =>
    named === undefined && linkedStrips.value === null && others.value?.length && hasProcessor.value === false
      ? 'others'
      : named

  /** A link may name a moment alone: of what grows, its minutes are shown, not the newest. */
  function aroundNeedle(needle: number | null, now: Span): Span | null {
    if (needle === null || !isLive.value || needle < now.start || needle > now.end) return null
    return within({ start: needle - LIVE_WINDOW_MS / 2, end: needle + LIVE_WINDOW_MS / 2 }, now)
  }

  function open(now: Span): void {
    board.saved = savedHere.value
    board.measures = measures.value
    isLive.value = archive.value?.source === 'recorded' && Date.now() - now.end < LIVE_MS
    const place = parsePlace(route.query)
    const newest = { start: Math.max(now.end - LIVE_WINDOW_MS, now.start), end: now.end }
    const strips = linkedStrips.value
      ? readStrips(linkedStrips.value, (name) => planNamed(name, measures.value))
      : null
    board.open(layoutOf(route.query['layout']), readDevice(route.query['device']), strips)
    bench.open(
      now,
      place.window ?? aroundNeedle(place.needle, now) ?? (isLive.value ? newest : now),
      place.needle,
    )
    bench.linkProblem = place.problem
    reading.open(parseReading(route.query))
    bench.against = readAgainst(route.query['against'])
    bench.usual = route.query['usual'] === '1'
    bench.averaging = readWidth(route.query['means'])
    bench.finding = typeof route.query['finding'] === 'string' ? route.query['finding'] : null
    if (isLive.value && !place.window && place.needle === null) bench.follow(true)
    opened.value = id.value
  }

  watch(
    [extent, isReady],
    ([now, ready]) => {
      if (!now || !ready) return
      if (opened.value === id.value) bench.grow(now)
      else open(now)
    },
    { immediate: true },
  )
  watch(id, () => {
    bench.close()
  })
  onBeforeUnmount(() => {
    bench.close()
  })

  const link = refThrottled(
    computed(() => {
      if (!bench.window || opened.value !== id.value) return null
      return {
        ...placeQuery(bench.window, bench.needle),
        ...(board.layout === 'first' && !board.isChanged ? {} : { layout: board.layout }),
        ...(board.layout === 'device' && board.device ? { device: writeDevice(board.device) } : {}),
        ...(board.isChanged ? { strips: board.text } : {}),
        ...(board.layout === 'logs' ? readingQuery(reading.now) : {}),
        ...(bench.against === null ? {} : { against: writeAgainst(bench.against) }),
        ...(bench.usual ? { usual: '1' } : {}),
        ...(bench.averaging === null ? {} : { means: String(bench.averaging) }),
        ...(bench.finding === null ? {} : { finding: bench.finding }),
      }
    }),
    LINK_EVERY_MS,
    true,
    true,
  )
  let writtenAt = 0
  let written = ''
  let steps = 0
  watch([link, () => bench.playing], ([query, playing]) => {
    // While playing the link may lag behind: writing it costs more than drawing a picture.
    if (!query || opened.value !== id.value || (playing && Date.now() - writtenAt < PLAYING_LINK_EVERY_MS))
      return
    writtenAt = Date.now()
    // A window that was gone to is a step that the browser's Back takes back; a needle that moves is none.
    const isStep = written !== '' && bench.steps > steps
    steps = bench.steps
    written = spellQuery(query)
    void (isStep ? router.push({ query }) : router.replace({ query }))
  })
  // The browser went back or forward, or the address was changed by hand.
  watch(
    () => route.query,
    (query) => {
      if (opened.value !== id.value || written === '' || spellQuery(query) === written) return
      written = spellQuery(query)
      const place = parsePlace(query)
      bench.linkProblem = place.problem
      if (place.window) bench.revisit(place.window, place.needle)
    },
  )
  return { isLive }
}
