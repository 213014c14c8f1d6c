<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, useTemplateRef, watch } from 'vue'
import type { Archive, Finding, Marker, SeriesSet } from '../api/client'
import type { StripPlan } from '../model/layouts'
import MarkerLane from '../notes/MarkerLane.vue'
import { reasonOf } from '../notes/markers'
import { contains, shareAt } from '../model/span'
import type { Zone } from '../model/clock'
import { useWorkbench } from '../useWorkbench'
import FindingLane from './FindingLane.vue'
import StripRow from './StripRow.vue'
import TimeAxis from './TimeAxis.vue'
import { gapsOf, stripData } from './chart'
import { useStripPointer } from './useStripPointer'

interface Props {
  archive: Archive
  plans: StripPlan[]
  set: SeriesSet | undefined
  findings: Finding[]
  /** Whether findings stand above the strips: needless where the map shows them. */
  withLane: boolean
  markers: Marker[]
  zone: Zone
}
const props = defineProps<Props>()
const emit = defineEmits<{ width: [px: number]; find: [id: string]; note: [marker: Marker] }>()

const bench = useWorkbench()
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
const needleShare = computed(() =>
  bench.needle !== null && contains(window.value, bench.needle) ? shareAt(window.value, bench.needle) : null,
)
/** Ticks are missing for all strips alike, so the first one tells. */
const gaps = computed(() =>
  (props.plans[0] ? gapsOf(stripData(props.plans[0], props.set)) : []).map((gap) => ({
    ...gap,
    reason: reasonOf(gap, props.markers),
  })),
)
const onsets = computed(() =>
  props.findings
    .map((finding) => ({ id: finding.id, at: Date.parse(finding.onset.at) }))
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
        <StripRow
          v-for="plan in plans"
          :key="plan.id"
          :plan="plan"
          :set="set"
          :window="window"
          :needle="bench.needle"
          :cores="cores"
          :memory-bytes="memoryBytes"
        />
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
              v-if="drawn"
              class="absolute inset-y-0 border-x border-needle bg-needle/10"
              :style="{ left: `${drawn.from * 100}%`, width: `${(drawn.to - drawn.from) * 100}%` }"
            />
            <div
              v-if="needleShare !== null"
              class="absolute inset-y-0 z-10 w-[1.5px] -translate-x-1/2 bg-needle"
              :style="{ left: `${needleShare * 100}%` }"
              data-needle
            />
          </div>
        </div>
      </div>
    </div>
    <TimeAxis :window="window" :zone="zone" :needle-share="needleShare" />
  </div>
</template>
