<script setup lang="ts">
import { toMs, toMsOrNull } from '../model/instant'
import { useIsFetching } from '@tanstack/vue-query'
import { refThrottled, useStorage } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import type { SeriesSet } from '../api/client'
import { useArchive, useDiagnosis, useGaps, useMarkers, useSeriesSet } from '../api/queries'
import FindDialog from '../find/FindDialog.vue'
import type { Entry } from '../find/entries'
import SidePanel from '../findings/SidePanel.vue'
import { scaleFor, spellAmount } from '../model/amounts'
import { spellDuration, spellWindow } from '../model/clock'
import { planOfMeasures } from '../model/layouts'
import { lengthOf, type Span } from '../model/span'
import { namesOfAll } from '../model/strips'
import HostFacts from '../names/HostFacts.vue'
import { provideNames } from '../names/useNames'
import type { Severity } from '../notes/markers'
import TransportBar from '../replay/TransportBar.vue'
import { useKeys } from '../replay/useKeys'
import { useLive } from '../replay/useLive'
import { usePlayback } from '../replay/usePlayback'
import StrainMap from '../strainmap/StrainMap.vue'
import LayoutBar from '../strips/LayoutBar.vue'
import StripStack from '../strips/StripStack.vue'
import KeyCap from '../ui/KeyCap.vue'
import KeysDialog from '../ui/KeysDialog.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { usePreferences } from '../usePreferences'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import StateLine from '../workbench/StateLine.vue'
import { useKnown } from '../workbench/useKnown'
import { TABS, useMoves } from '../workbench/useMoves'
import { useOpening } from '../workbench/useOpening'

const JUDGE_EVERY_MS = 4_000
const FETCH_EVERY_MS = 120
const DRAWN_FIRST = new Set(['series', 'strain'])

const route = useRoute()
const bench = useWorkbench()
const board = useStrips()
const { zone, toggleZone, toggleTheme } = usePreferences()
const id = computed(() => String(route.params['id']))
const width = ref(0)
const helping = ref(false)
const finding = ref(false)
const mapOpen = useStorage('reditus.map', true)
provideNames(id)

const { data: archive, error, isPending } = useArchive(id)
const { catalogue, charted, devices } = useKnown(id)
const { isLive } = useOpening(id, archive, catalogue)
useLive(id)
usePlayback()

const shownWindow = refThrottled(
  computed(() => bench.window),
  FETCH_EVERY_MS,
  true,
  true,
)
const measures = computed(() => namesOfAll(board.strips))
const { data: newest, error: seriesError, isFetching } = useSeriesSet(id, shownWindow, width, measures)
// What was drawn stays until there is something newer, also where that could not be had.
const set = shallowRef<SeriesSet>()
watch([newest, id], ([now], [, before]) => {
  if (now || before !== id.value) set.value = now
})
const sinceMark = computed<Span | null>(() =>
  bench.mark !== null && shownWindow.value && bench.mark < shownWindow.value.end
    ? { start: bench.mark, end: shownWindow.value.end }
    : null,
)
const pinWidth = ref(1)
const { data: since } = useSeriesSet(id, sinceMark, pinWidth, measures)

// First what can be looked at: to go through all of a long recording would hold up its map and its strips.
const drawing = useIsFetching({ predicate: ({ queryKey }) => DRAWN_FIRST.has(String(queryKey[0])) })
const drawn = ref<string | null>(null)
watch([drawing, set, seriesError, measures, id], ([fetching, now, failed, names, current]) => {
  if (fetching === 0 && (now || failed || !names.length)) drawn.value = current
})
const drawnId = computed(() => (drawn.value === id.value ? id.value : null))

const grown = refThrottled(
  computed(() => toMsOrNull(archive.value?.end ?? null)),
  JUDGE_EVERY_MS,
  true,
  true,
)
const judgedUntil = computed(() => (drawnId.value === null ? null : grown.value))
const { data: diagnosis, isPending: judging } = useDiagnosis(id, judgedUntil)
const severity = ref<Severity>('warning')
const { data: marked } = useMarkers(id, shownWindow, severity)
const findings = computed(() => diagnosis.value?.findings ?? [])
const { data: gapSet } = useGaps(drawnId)
const known = computed(
  () => gapSet.value?.gaps.map((gap) => ({ start: toMs(gap.start), end: toMs(gap.end) })) ?? null,
)
const gaps = computed(() => known.value ?? [])
const { step, zoom, pan, find, jump, jumpGap, note, goTo } = useMoves(archive, set, diagnosis, known)

function chosen(entry: Entry): void {
  finding.value = false
  if (entry.kind === 'time') goTo(entry.at)
  if (entry.kind === 'layout') board.choose(entry.layout)
  if (entry.kind === 'measure') {
    const plan = planOfMeasures([entry.measure.name], charted.value)
    if (plan) board.add(plan)
  }
  if (entry.kind === 'processes') {
    bench.processFilter = entry.text
    bench.tab = TABS.moment
    if (bench.needle === null && bench.window) bench.point((bench.window.start + bench.window.end) / 2)
  }
}

/** The mark goes where the needle is; where it is already, it goes away. */
function mark(): void {
  bench.mark = bench.mark === bench.needle ? null : bench.needle
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
  find: () => {
    finding.value = true
  },
  mark,
  loop: () => {
    bench.loop(!bench.looping)
  },
  pin: () => {
    bench.pin()
  },
  next: () => {
    jump(1)
  },
  previous: () => {
    jump(-1)
  },
  nextGap: () => {
    jumpGap(1)
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
    known.source === 'simulated' ? 'simulated' : null,
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
        <HostFacts :archive-id="id" :about="about" :zone="zone" class="max-[1180px]:hidden" />
      </div>
      <template #right>
        <p v-if="bench.window" class="whitespace-nowrap" data-window-text>
          <span class="text-ink">{{ spellWindow(bench.window.start, bench.window.end, zone) }}</span>
          {{ spellDuration(lengthOf(bench.window) / 1000) }}
        </p>
        <button
          type="button"
          class="whitespace-nowrap hover:text-ink"
          aria-keyshortcuts="/"
          title="Find a measure, a time, a layout, a process (/)"
          data-find
          @click="finding = true"
        >
          <span class="max-[1180px]:sr-only">Find a measure, a time</span> <KeyCap name="/" />
        </button>
      </template>
    </TopBar>
    <StateNote v-if="error && !archive" whole :title="error.title" :hint="error.message" />
    <StateNote v-else-if="isPending" title="Opening the archive" busy whole />
    <StateNote
      v-else-if="!bench.window"
      whole
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
        <div class="flex min-h-0 flex-col">
          <LayoutBar :devices="devices" />
          <StateLine :archive="archive" :error="seriesError" :fetching="isFetching" :zone="zone" />
          <StripStack
            class="grow"
            :archive="archive"
            :set="set"
            :since="sinceMark ? since : undefined"
            :measures="charted"
            :findings="findings"
            :with-lane="!mapOpen"
            :markers="marked?.markers ?? []"
            :reported-gaps="gapSet?.gaps ?? []"
            :zone="zone"
            :aria-busy="isFetching"
            @width="width = $event"
            @find="find"
            @note="note"
          />
        </div>
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
      <TransportBar
        :findings="findings"
        :coverage="archive.coverage"
        :live="isLive"
        :gaps="gaps"
        @step="step"
        @jump="jump"
        @jump-gap="jumpGap"
        @mark="mark"
        @help="helping = true"
      />
    </template>
    <FindDialog
      v-if="bench.extent"
      :open="finding"
      :measures="charted"
      :extent="bench.extent"
      :zone="zone"
      @close="finding = false"
      @choose="chosen"
    />
    <KeysDialog :open="helping" @close="helping = false" />
  </div>
</template>
