<script setup lang="ts">
import { toMs } from '../model/instant'
import { useElementSize } from '@vueuse/core'
import { computed, useTemplateRef, watch } from 'vue'
import type { Archive, Finding, Gap, Marker, SeriesSet } from '../api/client'
import type { Unit } from '../model/amounts'
import MarkerLane from '../notes/MarkerLane.vue'
import { reasonOf, withDamage } from '../notes/markers'
import { contains, shareAt } from '../model/span'
import type { Zone } from '../model/clock'
import { FOLDED, type Strip } from '../model/strips'
import NeedleLine from '../ui/NeedleLine.vue'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import FindingLane from './FindingLane.vue'
import StripRow from './StripRow.vue'
import TimeAxis from './TimeAxis.vue'
import type { ChartedMeasure } from '../workbench/useKnown'
import { gapsOf, highest, stripData } from './chart'
import { useStripDrag } from './useStripDrag'
import { useStripPointer } from './useStripPointer'

interface Props {
  archive: Archive
  set: SeriesSet | undefined
  since: SeriesSet | undefined
  /** What can be charted, with the devices that each measure has. */
  measures: ChartedMeasure[]
  findings: Finding[]
  /** Whether findings stand above the strips: needless where the map shows them. */
  withLane: boolean
  markers: Marker[]
  /** The gaps of the archive with their reasons: what is damaged is one of them. */
  reportedGaps: Gap[]
  zone: Zone
}
const props = defineProps<Props>()
const emit = defineEmits<{ width: [px: number]; find: [id: string]; note: [marker: Marker] }>()

const bench = useWorkbench()
const board = useStrips()
const list = useTemplateRef<HTMLDivElement>('list')
const { target, lift, stretch, pressed } = useStripDrag(list)
const carriage = useTemplateRef<HTMLDivElement>('carriage')
const surface = useTemplateRef<HTMLDivElement>('surface')
const { width } = useElementSize(surface)
const { drawn, down, move, up, cancel, wheel } = useStripPointer(surface)

// In steps, so that a scroll bar that comes and goes does not fetch everything again.
watch(width, (px) => {
  emit('width', Math.floor(px / 20) * 20)
})

const window = computed(() => bench.window ?? { start: 0, end: 1 })
const cores = computed(() =>
  typeof props.archive.facts['cores'] === 'number' ? props.archive.facts['cores'] : null,
)
const memoryBytes = computed(() =>
  typeof props.archive.facts['memory_bytes'] === 'number' ? props.archive.facts['memory_bytes'] : null,
)
const speeds = computed(() => {
  const links = (props.archive.facts['links'] ?? {}) as Record<
    string,
    { speed_bits_per_s?: number | null; physical?: boolean | null }
  >
  return Object.fromEntries(
    Object.entries(links).flatMap(([name, link]) =>
      link.speed_bits_per_s && name !== 'lo' ? [[name, link.speed_bits_per_s] as const] : [],
    ),
  )
})
const matchedTops = computed(() => {
  const tops = new Map<Unit, number>()
  for (const strip of board.strips) {
    if (strip.edge.kind !== 'matched' || strip.folded) continue
    const most = highest(strip.plan, stripData(strip, props.set, chartedOf(strip)?.aliases))
    tops.set(strip.plan.unit, Math.max(tops.get(strip.plan.unit) ?? 0, most))
  }
  return tops
})
const chartedOf = (strip: Strip): ChartedMeasure | undefined =>
  props.measures.find((item) => item.name === strip.plan.traces[0]?.measure)
const firstDrawn = computed(() =>
  board.strips.find((strip) => !strip.folded && !strip.plan.id.startsWith('process.')),
)
const markShare = computed(() =>
  bench.mark !== null && contains(window.value, bench.mark) ? shareAt(window.value, bench.mark) : null,
)
/** Ticks are missing for all strips alike, so the first one tells. */
const gaps = computed(() =>
  withDamage(
    (firstDrawn.value ? gapsOf(stripData(firstDrawn.value, props.set)) : []).map((gap) => ({
      ...gap,
      reason: reasonOf(gap, props.markers),
    })),
    props.reportedGaps,
    window.value,
  ),
)
/** Where each strip begins, px from the top of the first. */
const offsets = computed(() => {
  let at = 0
  return board.strips.map((strip) => {
    const here = at
    at += strip.folded ? FOLDED : strip.height
    return here
  })
})
const onsets = computed(() =>
  props.findings
    .map((finding) => ({ id: finding.id, at: toMs(finding.onset.at) }))
    .filter((onset) => contains(window.value, onset.at)),
)
</script>

<template>
  <div class="flex min-h-0 flex-col">
    <FindingLane v-if="withLane" :findings="findings" :window="window" @find="emit('find', $event)" />
    <MarkerLane
      v-if="markers.length"
      :markers="markers"
      :window="window"
      :zone="zone"
      @find="emit('note', $event)"
    />
    <div
      class="relative min-h-0 grow overflow-x-hidden overflow-y-auto"
      role="region"
      aria-label="Strips"
      tabindex="0"
      data-strips
    >
      <div class="relative">
        <div ref="list" class="relative">
          <template v-for="(strip, place) in board.strips" :key="strip.key">
            <div v-if="target === place" class="relative z-20 h-0 border-t-2 border-needle" />
            <StripRow
              :strip="strip"
              :set="set"
              :since="since"
              :window="window"
              :cores="cores"
              :memory-bytes="memoryBytes"
              :speeds="speeds"
              :matched-top="matchedTops.get(strip.plan.unit) ?? 0"
              :devices="chartedOf(strip)?.devices ?? []"
              :aliases="chartedOf(strip)?.aliases ?? []"
              :measures="measures"
              :carriage="carriage"
              :offset="offsets[place] ?? 0"
              @lift="lift(strip, $event)"
              @stretch="stretch(strip, $event)"
              @pressed="pressed(strip, $event)"
            />
          </template>
          <div v-if="target === board.strips.length" class="relative z-20 h-0 border-t-2 border-needle" />
        </div>
        <p v-if="!board.strips.length" class="px-[18px] py-8 text-soft">
          {{
            board.layout === 'device'
              ? 'Choose a device above: everything about it stands here then.'
              : 'No strips. Put the layout back, or find a measure and it appears here with its whole past.'
          }}
        </p>
        <div class="strip-grid pointer-events-none absolute inset-0">
          <div
            ref="surface"
            class="pointer-events-auto relative col-start-3 overflow-hidden cursor-crosshair touch-none select-none"
            data-surface
            @pointerdown="down"
            @pointermove="move"
            @pointerup="up"
            @pointercancel="cancel"
            @wheel="wheel"
            @dblclick="bench.lookBack()"
          >
            <div
              v-for="onset in onsets"
              :key="onset.id"
              class="absolute inset-y-0 border-l border-dotted border-soft"
              :style="{ left: `${shareAt(window, onset.at) * 100}%` }"
            />
            <div
              v-for="gap in gaps"
              :key="gap.start"
              class="hatched absolute inset-y-0"
              :title="gap.reason ? `Nothing was kept here: ${gap.reason}` : 'Nothing was recorded here'"
              :style="{
                left: `${shareAt(window, gap.start) * 100}%`,
                width: `${(shareAt(window, gap.end) - shareAt(window, gap.start)) * 100}%`,
              }"
              data-gap
            >
              <span
                v-if="gap.reason && shareAt(window, gap.end) - shareAt(window, gap.start) > 0.12"
                class="absolute inset-x-1 top-2 bg-paper px-1 text-center text-2xs text-soft"
                >{{ gap.reason }}</span
              >
            </div>
            <div
              v-if="markShare !== null"
              class="absolute inset-y-0 border-l border-dashed border-ink"
              :style="{ left: `${markShare * 100}%` }"
              data-mark
            >
              <span class="absolute top-0 left-0 bg-ink px-1 text-[10px] leading-3 text-leaf">mark</span>
            </div>
            <div
              v-if="drawn"
              class="absolute inset-y-0 border-x border-needle bg-needle/10"
              :style="{ left: `${drawn.from * 100}%`, width: `${(drawn.to - drawn.from) * 100}%` }"
            />
            <NeedleLine class="inset-y-0" :span="window">
              <div class="absolute inset-y-0 w-[1.5px] -ml-px bg-needle" data-needle />
              <div ref="carriage" />
            </NeedleLine>
          </div>
        </div>
      </div>
    </div>
    <TimeAxis :window="window" :zone="zone" />
  </div>
</template>
