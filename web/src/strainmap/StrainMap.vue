<script setup lang="ts">
import { useSession } from '../workbench/session'
import { useZone } from '../usePreferences'
import { toMs } from '../model/instant'
import { refThrottled, useElementSize } from '@vueuse/core'
import { computed, ref, useTemplateRef } from 'vue'
import type { StrainRow } from '../api/client'
import { useStrain, useUnusual } from '../api/queries'
import { referenceSpan } from '../comparison/against'
import { spellWindow } from '../model/clock'
import { clampTo, lengthOf, shareAt, type Span } from '../model/span'
import { kindOf, useNames } from '../names/useNames'
import AxisLabels from '../ui/AxisLabels.vue'
import NeedleLine from '../ui/NeedleLine.vue'
import { useWorkbench } from '../useWorkbench'
import { bracketsOf, LANES } from './brackets'
import { excusedOf, excusesIn, type Excused } from './ruledOut'
import StrainCells from './StrainCells.vue'
import StrainHover from './StrainHover.vue'
import StrainLabel from './StrainLabel.vue'
import UnusualCells from './UnusualCells.vue'
import { unusualWords } from './unusual'
import { useFrame, type Grip } from './useFrame'
import { worstRow } from './worst'

/** The whole archive at a glance: how hard each resource was pressed, and when. The window is a frame on it. */
const REFRESH_MS = 5_000
const HOVER_PX = 262
const LANE_PX = 15
const bench = useWorkbench()
const zone = useZone()
const { id, judgement, moves } = useSession()
const extent = computed<Span>(() => bench.extent ?? { start: 0, end: 1 })
const names = useNames()
const surface = useTemplateRef<HTMLDivElement>('surface')
const { width } = useElementSize(surface)
const opened = ref<StrainRow['resource'][]>([])
const bins = computed(() => Math.floor(width.value / 20) * 20)
const shown = refThrottled(extent, REFRESH_MS, true, true)
const { data: map, error, isPending, isFetching } = useStrain(id, shown, bins, opened)
/** Held against what is usual once the findings are there: those come first. */
const judged = computed(() => (judgement.diagnosis.value ? shown.value : null))
const { data: unusual } = useUnusual(id, judged, bins)
const knowsUsual = computed(() => unusual.value?.strain.some((value) => value !== null) ?? false)
const { drawn, gripAt, down, move, up, cancel, nudge } = useFrame(surface)

/** What the window is held against, where that is of this archive. */
const reference = computed(() =>
  bench.against?.archive === null && bench.window ? referenceSpan(bench.window, bench.against) : null,
)
/** The reference's own strain as a second ribbon, moved to the times that it stands behind. */
const otherId = computed(() => bench.against?.archive ?? id.value)
const moved = computed(() =>
  bench.against
    ? { start: extent.value.start + bench.against.shift, end: extent.value.end + bench.against.shift }
    : null,
)
const { data: behind } = useStrain(otherId, moved, bins, ref([]))
const ribbon = computed(() => {
  if (!bench.against || !behind.value) return null
  const { mean, high } = worstRow(behind.value.rows)
  const firstMs = toMs(behind.value.start) - bench.against.shift
  return mean.length ? { mean, high, firstMs, binMs: behind.value.bin_s * 1000 } : null
})
const rows = computed(() =>
  (map.value?.rows ?? []).filter((row) => row.device === null || opened.value.includes(row.resource)),
)
/** Opened, but their devices are not there yet. */
const awaited = computed(() => {
  const there = new Set(rows.value.filter((row) => row.device !== null).map((row) => row.resource))
  return new Set(opened.value.filter((item) => !there.has(item)))
})
const brackets = computed(() => bracketsOf(judgement.findings.value, extent.value, width.value))
const percent = (at: number): string => `${shareAt(extent.value, at) * 100}%`
const stretch = (span: Span): Record<string, string> => ({
  left: percent(span.start),
  width: `${(lengthOf(span) / Math.max(lengthOf(extent.value), 1)) * 100}%`,
})

const titleOf = (row: StrainRow): string =>
  row.device === null
    ? row.resource.charAt(0).toUpperCase() + row.resource.slice(1)
    : row.resource === 'processor'
      ? `core ${row.device}`
      : names.labelOf(kindOf(row.measure), row.device)

function toggle(resource: StrainRow['resource']): void {
  opened.value = opened.value.includes(resource)
    ? opened.value.filter((item) => item !== resource)
    : [...opened.value, resource]
}

const hover = ref<{ row: StrainRow; bin: number; x: number; y: number } | null>(null)
const grip = ref<Grip>('new')
const CURSORS: Record<Grip, string> = {
  start: 'cursor-ew-resize',
  end: 'cursor-ew-resize',
  move: 'cursor-grab',
  new: 'cursor-crosshair',
}

/** Where the first bin begins, and how long each is, in ms. */
const scale = computed(() => ({
  first: map.value ? toMs(map.value.start) : 0,
  length: (map.value?.bin_s ?? 0) * 1000,
}))

function over(event: PointerEvent): void {
  move(event)
  grip.value = gripAt(event)
  const area = surface.value?.getBoundingClientRect()
  if (!area || !map.value) return
  const at = extent.value.start + ((event.clientX - area.left) / area.width) * lengthOf(extent.value)
  const bin = Math.floor((clampTo(extent.value, at) - scale.value.first) / scale.value.length)
  const row = rowAt(event.clientY)
  hover.value = row && event.buttons === 0 ? { row, bin, x: event.clientX, y: event.clientY } : null
}
function rowAt(y: number): StrainRow | null {
  const lines = [...(surface.value?.querySelectorAll('[data-cells]') ?? [])]
  const at = lines.findIndex((line) => {
    const box = line.getBoundingClientRect()
    return y >= box.top && y < box.bottom
  })
  return rows.value[at] ?? null
}
const hovered = computed(() => {
  const [found, known] = [hover.value, map.value]
  if (!found || !known) return null
  const start = scale.value.first + found.bin * scale.value.length
  const right = found.x + HOVER_PX > innerWidth ? found.x - HOVER_PX : found.x + 14
  return {
    ...found,
    span: { start, end: start + scale.value.length },
    place: { left: `${right}px`, top: `${found.y + 16}px` },
  }
})

/** What looks strained and was ruled out, by row. */
const excused = computed<Excused[][]>(() =>
  rows.value.map((row) =>
    excusedOf(judgement.diagnosis.value?.ruled_out ?? [], judgement.findings.value, row, scale.value),
  ),
)
const excuses = computed(() =>
  hovered.value
    ? excusesIn(excused.value[rows.value.indexOf(hovered.value.row)] ?? [], hovered.value.span)
    : [],
)

const GRIPS: { grip: Grip; label: string }[] = [
  { grip: 'start', label: 'Beginning of the window' },
  { grip: 'move', label: 'The window' },
  { grip: 'end', label: 'End of the window' },
]
const spoken = computed(() =>
  bench.window ? spellWindow(bench.window.start, bench.window.end, zone.value) : '',
)
function pressed(which: Grip, event: KeyboardEvent): void {
  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (by === undefined) return
  // The arrows of the page step from tick to tick; here they belong to the frame.
  event.stopPropagation()
  event.preventDefault()
  nudge(which, event.shiftKey ? by * 5 : by)
}
/** A row in words, for those who cannot see it. */
function spell(row: StrainRow): string {
  const known = (row.mean ?? []).filter((value): value is number => value !== null)
  if (!known.length) return `${titleOf(row)}: not recorded`
  const mean = Math.round(known.reduce((sum, value) => sum + value, 0) / known.length)
  const most = Math.max(...known)
  const at = (row.mean ?? []).indexOf(most)
  const when = scale.value.first + at * scale.value.length
  const first = spellWindow(when, when + scale.value.length, zone.value)
  const ruledOut = excusesIn(excused.value[rows.value.indexOf(row)] ?? [], extent.value)
  const but = ruledOut.length ? `; of what looks strained, ruled out: ${ruledOut.join(', ')}` : ''
  return `${titleOf(row)}: strain ${mean} % on average, highest ${most} % at ${first}${but}`
}
</script>

<template>
  <section
    class="shrink-0 border-b border-rule-strong bg-paper pt-1.5"
    aria-label="Strain of the whole archive"
    data-strain-map
  >
    <div class="map-grid" :style="{ height: `${LANES * LANE_PX + 2}px` }">
      <h2 class="pl-[18px] font-serif text-[15px] leading-5 font-semibold">Strain</h2>
      <div class="relative">
        <button
          v-for="{ finding, start, end, from, to, lane, text, words } in brackets"
          :key="finding.id + start"
          type="button"
          class="absolute h-2 min-w-[3px] border-x-[1.5px] border-t-[1.5px] text-2xs hover:bg-needle/10"
          :style="{
            left: `${from * 100}%`,
            width: `${(to - from) * 100}%`,
            top: `${lane * LANE_PX + 6}px`,
            borderColor: `var(--color-${finding.resource})`,
          }"
          :title="text"
          :aria-label="text"
          data-map-bracket
          @click="
            finding.pattern.kind === 'days'
              ? moves.findTime(finding.id, { start, end })
              : moves.find(finding.id)
          "
        >
          <span
            v-if="words"
            class="absolute -top-2 whitespace-nowrap"
            :class="words === 'before' ? 'right-full mr-1.5' : 'left-full ml-1.5'"
            >{{ text }}</span
          >
        </button>
      </div>
    </div>
    <p v-if="error && !map" class="px-[18px] py-3 text-needle" role="alert">{{ error.message }}</p>
    <p v-else-if="isPending" class="absolute px-[18px] text-soft" role="status">
      Looking over the whole archive …
    </p>
    <div
      class="max-h-[34vh] min-h-[93px] overflow-x-hidden overflow-y-auto"
      :tabindex="opened.length ? 0 : undefined"
    >
      <div class="relative my-1">
        <div
          v-for="row in rows"
          :key="row.measure + row.device"
          class="map-grid"
          :class="row.device === null ? 'h-[17px] py-px' : 'h-3'"
          :data-strain="row.device === null ? row.resource : `${row.resource} ${row.device}`"
        >
          <StrainLabel
            v-if="row.device === null"
            :row="row"
            :title="titleOf(row)"
            :open="opened.includes(row.resource)"
            :waiting="isFetching && awaited.has(row.resource)"
            @toggle="toggle(row.resource)"
          />
          <span
            v-else
            class="truncate pr-2 pl-[40px] text-[10px] leading-3 text-soft"
            :title="titleOf(row)"
            >{{ titleOf(row) }}</span
          >
          <p class="sr-only">{{ spell(row) }}</p>
        </div>
        <div v-if="ribbon" class="map-grid h-[15px] pt-[3px]" data-reference-ribbon>
          <span
            class="truncate pr-2 pl-[40px] text-[10px] leading-3 text-soft"
            title="The hardest pressed resource of what the window is held against, moved to the same place"
            >reference</span
          >
          <StrainCells
            role="img"
            :aria-label="`Strain of the reference, highest ${Math.max(0, ...ribbon.mean.map((value) => value ?? 0))} %`"
            class="h-full"
            :mean="ribbon.mean"
            :high="ribbon.high"
            :first-ms="ribbon.firstMs"
            :bin-ms="ribbon.binMs"
            :extent="extent"
          />
        </div>
        <div v-if="unusual && knowsUsual" class="map-grid h-[15px] pt-[3px]">
          <span class="truncate pr-2 pl-[40px] text-[10px] leading-3 text-soft" :title="unusualWords(unusual)"
            >unlike usual</span
          >
        </div>
        <div class="map-grid pointer-events-none absolute inset-0">
          <div
            ref="surface"
            class="pointer-events-auto relative col-start-2 touch-none select-none"
            :class="CURSORS[grip]"
            data-map-surface
            @pointerdown="down"
            @pointermove="over"
            @pointerup="up"
            @pointercancel="cancel"
            @pointerleave="hover = null"
            @dblclick="bench.lookBack()"
          >
            <div
              v-for="(row, at) in rows"
              :key="row.measure + row.device"
              class="relative"
              :class="row.device === null ? 'h-[17px] py-px' : 'h-3 pb-px'"
              data-cells
            >
              <StrainCells
                v-if="map && row.mean && row.high"
                class="h-full"
                :mean="row.mean"
                :high="row.high"
                :first-ms="scale.first"
                :bin-ms="scale.length"
                :extent="extent"
              />
              <span
                v-for="part in excused[at]"
                :key="part.item.id + part.start"
                class="excused pointer-events-none absolute inset-y-px min-w-px"
                :style="stretch(part)"
                data-map-excused
              />
              <span
                v-if="!(map && row.mean && row.high)"
                class="hatched block h-full text-center text-[10px] leading-none text-soft"
                ><span class="bg-paper px-2">not recorded</span></span
              >
            </div>
            <div v-if="ribbon" class="h-[15px]" />
            <div v-if="unusual && knowsUsual" class="h-[15px] pt-[3px]">
              <UnusualCells class="h-full" :unusual="unusual" :extent="extent" />
            </div>
            <div
              v-if="reference"
              class="pointer-events-none absolute -inset-y-0.5 min-w-1 border-[1.5px] border-dashed border-soft"
              :style="stretch(reference)"
              data-map-reference
            />
            <div
              v-if="bench.window"
              class="pointer-events-none absolute -inset-y-0.5 min-w-1.5 border-[1.5px] border-needle"
              :style="stretch(bench.window)"
              data-map-frame
            >
              <span
                v-for="handle in GRIPS"
                :key="handle.grip"
                class="absolute"
                :class="{
                  'top-1/2 -left-[3.5px] h-6 w-[5.5px] -translate-y-1/2 bg-needle': handle.grip === 'start',
                  'top-1/2 -right-[3.5px] h-6 w-[5.5px] -translate-y-1/2 bg-needle': handle.grip === 'end',
                  'inset-0': handle.grip === 'move',
                }"
                role="slider"
                tabindex="0"
                :aria-label="handle.label"
                :aria-valuemin="extent.start"
                :aria-valuemax="extent.end"
                :aria-valuenow="handle.grip === 'end' ? bench.window.end : bench.window.start"
                :aria-valuetext="spoken"
                :data-grip="handle.grip"
                @keydown="pressed(handle.grip, $event)"
              />
            </div>
            <div
              v-if="drawn"
              class="pointer-events-none absolute inset-y-0 border-x border-needle bg-needle/10"
              :style="stretch(drawn)"
            />
            <NeedleLine class="-inset-y-0.5 w-[1.5px] -ml-px bg-needle" :span="extent" />
          </div>
        </div>
      </div>
    </div>
    <div class="map-grid h-[22px] text-2xs text-soft">
      <AxisLabels class="col-start-2" :window="extent" :zone="zone" />
    </div>
    <Teleport to="body">
      <StrainHover
        v-if="hovered"
        class="fixed z-40"
        :style="hovered.place"
        :row="hovered.row"
        :title="titleOf(hovered.row)"
        :bin="hovered.bin"
        :ruled-out="excuses"
        :span="hovered.span"
      />
    </Teleport>
  </section>
</template>
