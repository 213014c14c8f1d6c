<script setup lang="ts">
import { refThrottled, useStorage } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Marker } from '../api/client'
import { useArchive, useDiagnosis, useMarkers, useSeriesSet } from '../api/queries'
import { scaleFor, spellAmount } from '../model/amounts'
import { spellDuration, spellWindow } from '../model/clock'
import { FIRST_LOOK, measuresOf } from '../model/layouts'
import { parsePlace, placeQuery } from '../model/link'
import { stepTick } from '../model/lookup'
import { aroundStretch, lengthOf, panBy, zoomAround, type Span } from '../model/span'
import SidePanel from '../findings/SidePanel.vue'
import TransportBar from '../replay/TransportBar.vue'
import { useKeys } from '../replay/useKeys'
import { useLive } from '../replay/useLive'
import { usePlayback } from '../replay/usePlayback'
import HostFacts from '../names/HostFacts.vue'
import { provideNames } from '../names/useNames'
import type { Severity } from '../notes/markers'
import StrainMap from '../strainmap/StrainMap.vue'
import StripStack from '../strips/StripStack.vue'
import KeysDialog from '../ui/KeysDialog.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { usePreferences } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'

const LIVE_MS = 30_000
const LIVE_WINDOW_MS = 5 * 60_000
const LINK_EVERY_MS = 400
const JUDGE_EVERY_MS = 4_000
const NOTES_TAB = 3

const route = useRoute()
const router = useRouter()
const bench = useWorkbench()
const mapOpen = useStorage('reditus.map', true)
const { zone, toggleZone, toggleTheme } = usePreferences()
const id = computed(() => String(route.params['id']))
const width = ref(0)
const helping = ref(false)
provideNames(id)

const { data: archive, error, isPending } = useArchive(id)
const extent = computed<Span | null>(() => {
  const { start_ms: start, end_ms: end } = archive.value ?? {}
  return typeof start === 'number' && typeof end === 'number'
    ? { start, end: Math.max(end, start + 1000) }
    : null
})
const isLive = ref(false)

// An archive opens on the place its link names; else a growing one on its newest minutes, and any other as a whole.
let opened: string | null = null
watch(
  extent,
  (now) => {
    if (!now) return
    if (opened === id.value) {
      bench.grow(now)
      return
    }
    opened = id.value
    isLive.value = archive.value?.source === 'recorded' && Date.now() - now.end < LIVE_MS
    const place = parsePlace(route.query)
    const newest = { start: Math.max(now.end - LIVE_WINDOW_MS, now.start), end: now.end }
    bench.open(now, place.window ?? (isLive.value ? newest : now), place.needle)
    if (isLive.value && !place.window) bench.follow(true)
  },
  { immediate: true },
)
watch(id, () => {
  bench.close()
})
onBeforeUnmount(() => {
  bench.close()
})

useLive(id)
usePlayback()

const shownWindow = refThrottled(
  computed(() => bench.window),
  120,
  true,
  true,
)
const measures = ref(measuresOf(FIRST_LOOK))
const { data: set, error: seriesError, isFetching } = useSeriesSet(id, shownWindow, width, measures)

const grown = refThrottled(
  computed(() => archive.value?.end_ms ?? null),
  JUDGE_EVERY_MS,
  true,
  true,
)
const { data: diagnosis, isPending: judging } = useDiagnosis(id, grown)
const severity = ref<Severity>('warning')
const { data: marked } = useMarkers(id, shownWindow, severity)
const findings = computed(() => diagnosis.value?.findings ?? [])

const place = refThrottled(
  computed(() => (bench.window ? { window: bench.window, needle: bench.needle } : null)),
  LINK_EVERY_MS,
  true,
  true,
)
watch(place, (now) => {
  if (now && opened === id.value) void router.replace({ query: placeQuery(now.window, now.needle) })
})

const tickTimes = computed(() => set.value?.times_ms[0] ?? [])

/** Step from tick to tick where single ticks are drawn, else by the archive's own interval. */
function step(ticks: number): void {
  if (!bench.extent) return
  bench.play(false)
  const at = bench.needle ?? bench.window?.start ?? bench.extent.start
  const raw = set.value?.series.find((one) => !one.missing)?.bin_s === null
  bench.point(
    raw ? stepTick(tickTimes.value, at, ticks) : at + ticks * (archive.value?.interval_s ?? 1) * 1000,
  )
  if (
    bench.window &&
    bench.needle !== null &&
    (bench.needle < bench.window.start || bench.needle > bench.window.end)
  ) {
    bench.slide(panBy(bench.window, ticks > 0 ? 0.5 : -0.5, bench.extent))
  }
}

function find(wanted: string): void {
  const finding = findings.value.find((one) => one.id === wanted)
  const found = finding ?? diagnosis.value?.ruled_out.find((one) => one.id === wanted)
  if (!found || !bench.extent) return
  bench.play(false)
  bench.look(aroundStretch({ start: Date.parse(found.start), end: Date.parse(found.end) }, bench.extent))
  bench.point(Date.parse(finding?.onset.at ?? found.start))
  bench.selected = wanted
  bench.tab = finding ? 1 : 2
}

function note(marker: Marker): void {
  bench.play(false)
  bench.point(marker.at_ms)
  bench.tab = NOTES_TAB
}

function jump(by: number): void {
  const inTime = [...findings.value].sort((a, b) => Date.parse(a.start) - Date.parse(b.start))
  const at = bench.needle ?? 0
  const started = (one: { onset: { at: string } }): number => Date.parse(one.onset.at)
  const next =
    by > 0
      ? inTime.find((one) => started(one) > at + 1)
      : [...inTime].reverse().find((one) => started(one) < at - 1)
  const chosen = next ?? (by > 0 ? inTime[0] : inTime[inTime.length - 1])
  if (chosen) find(chosen.id)
}

function zoom(factor: number): void {
  const { window, extent: whole, needle } = bench
  if (!window || !whole) return
  const middle = (window.start + window.end) / 2
  const at = needle !== null && needle >= window.start && needle <= window.end ? needle : middle
  bench.look(zoomAround(window, at, factor, whole))
}

const pan = (share: number): void => {
  if (bench.window && bench.extent) bench.look(panBy(bench.window, share, bench.extent))
}

useKeys({
  play: () => {
    bench.play(!bench.playing)
  },
  back: () => {
    step(-1)
  },
  forward: () => {
    step(1)
  },
  earlier: () => {
    pan(-0.5)
  },
  later: () => {
    pan(0.5)
  },
  closer: () => {
    zoom(0.5)
  },
  wider: () => {
    zoom(2)
  },
  whole: () => {
    if (bench.extent) bench.look(bench.extent)
  },
  undo: () => {
    bench.lookBack()
  },
  redo: () => {
    bench.lookForward()
  },
  map: () => {
    mapOpen.value = !mapOpen.value
  },
  next: () => {
    jump(1)
  },
  previous: () => {
    jump(-1)
  },
  slower: () => {
    bench.changePace(-1)
  },
  faster: () => {
    bench.changePace(1)
  },
  follow: () => {
    if (isLive.value) bench.follow(!bench.following)
  },
  zone: toggleZone,
  theme: toggleTheme,
  help: () => {
    helping.value = true
  },
})

const about = computed(() => {
  const known = archive.value
  if (!known) return ''
  const { cores, memory_bytes: memory } = known.facts
  return [
    typeof cores === 'number' ? `${cores} cores` : null,
    typeof memory === 'number'
      ? spellAmount(memory, 'bytes', { ...scaleFor('bytes', memory), digits: 0 })
      : null,
    known.interval_s === null ? null : `recorded every ${spellDuration(known.interval_s)}`,
    known.source === 'made up' ? 'made up' : null,
  ]
    .filter(Boolean)
    .join(' · ')
})
</script>

<template>
  <div class="flex flex-col">
    <TopBar>
      <div v-if="archive" class="whitespace-nowrap">
        <b class="font-semibold">{{ archive.host.name }}</b> ▸ {{ archive.name }}
        <HostFacts :archive-id="id" :about="about" :zone="zone" />
      </div>
      <template #right>
        <p v-if="bench.window" class="whitespace-nowrap" data-window-text>
          <span class="text-ink">{{ spellWindow(bench.window.start, bench.window.end, zone) }}</span>
          {{ spellDuration(lengthOf(bench.window) / 1000) }}
        </p>
      </template>
    </TopBar>
    <StateNote v-if="error && !archive" :title="error.title" :hint="error.message" />
    <StateNote v-else-if="isPending" title="Opening the archive" busy />
    <StateNote
      v-else-if="!bench.window"
      title="Nothing in this archive yet"
      hint="The recorder has not sent any ticks. They appear here by themselves within a few seconds of the first."
    />
    <template v-else-if="archive">
      <StrainMap
        v-if="mapOpen && bench.extent"
        :archive-id="id"
        :extent="bench.extent"
        :findings="findings"
        :zone="zone"
        @find="find"
      />
      <main class="grid min-h-0 grow grid-cols-[minmax(0,1fr)_300px]">
        <h1 class="sr-only">{{ archive.host.name }}, {{ archive.name }}</h1>
        <StripStack
          :archive="archive"
          :plans="FIRST_LOOK"
          :set="set"
          :findings="findings"
          :with-lane="!mapOpen"
          :markers="marked?.markers ?? []"
          :zone="zone"
          :aria-busy="isFetching"
          @width="width = $event"
          @find="find"
          @note="note"
        />
        <SidePanel
          :archive-id="id"
          :diagnosis="diagnosis"
          :pending="judging"
          :marked="marked"
          :severity="severity"
          :zone="zone"
          @find="find"
          @note="note"
          @severity="severity = $event"
        />
      </main>
      <p v-if="seriesError && !set" class="px-5 py-2 text-needle" role="alert">{{ seriesError.message }}</p>
      <TransportBar
        :findings="findings"
        :coverage="archive.coverage"
        :live="isLive"
        @step="step"
        @jump="jump"
        @help="helping = true"
      />
    </template>
    <KeysDialog :open="helping" @close="helping = false" />
  </div>
</template>
