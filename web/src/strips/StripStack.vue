<script setup lang="ts">
import { useStripData } from './useStripData'
import { useSession } from '../workbench/session'
import { toMs } from '../model/instant'
import { useElementSize } from '@vueuse/core'
import { computed, useTemplateRef, watch } from 'vue'
import type { Archive } from '../api/client'
import { useLogs } from '../api/queries'
import LogReader from '../logs/LogReader.vue'
import { lanesOf } from '../logs/lines'
import MarkerLane from '../notes/MarkerLane.vue'
import { reasonOf, withDamage } from '../notes/markers'
import { contains, shareAt } from '../model/span'
import NeedleLine from '../ui/NeedleLine.vue'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import FilesystemTable from '../devices/FilesystemTable.vue'
import InterfaceTable from '../devices/InterfaceTable.vue'
import FindingLane from './FindingLane.vue'
import StripRow from './StripRow.vue'
import { isWho } from '../model/who'
import CoreLane from '../use/CoreLane.vue'
import { useCoreLane } from '../use/useCoreLane'
import WhoCard from '../use/WhoCard.vue'
import TimeAxis from './TimeAxis.vue'
import { useStripDrag } from './useStripDrag'
import { useStripPointer } from './useStripPointer'

/** The strips of the layout, one under the other on one time axis. */
interface Props {
  archive: Archive
  /** Whether findings stand above the strips: needless where the map shows them. */
  withLane: boolean
}
defineProps<Props>()

const bench = useWorkbench()
const board = useStrips()
const coreLane = useCoreLane()
const { id: archiveId, window: shown, judgement, moves } = useSession()
const { findings } = judgement
const MOST_LANES = 6
const markers = computed(() => shown.markers.value?.markers ?? [])
const { data: logs } = useLogs(archiveId)
/** Where logs are read, each has a lane of its own. */
const lanes = computed(() =>
  board.layout === 'logs'
    ? lanesOf(logs.value ?? [], MOST_LANES).map((log) => ({
        log,
        markers: markers.value.filter((marker) => marker.log === log),
      }))
    : [],
)
const noted = computed(() => [
  ...(lanes.value.length
    ? markers.value.filter((marker) => !lanes.value.some((lane) => lane.log === marker.log))
    : markers.value),
  ...shown.changes.value,
])
const list = useTemplateRef<HTMLDivElement>('list')
const { target, lift, stretch, pressed } = useStripDrag(list)
const carriage = useTemplateRef<HTMLDivElement>('carriage')
const surface = useTemplateRef<HTMLDivElement>('surface')
const { width } = useElementSize(surface)
const { drawn, down, move, up, cancel, wheel } = useStripPointer(surface)

// In steps, so that a scroll bar that comes and goes does not fetch everything again.
watch(width, (px) => {
  shown.width.value = Math.floor(px / 20) * 20
})

const window = computed(() => bench.window ?? { start: 0, end: 1 })
const { rows, matchedTops, gaps: unrecorded } = useStripData()
const markShare = computed(() =>
  bench.mark !== null && contains(window.value, bench.mark) ? shareAt(window.value, bench.mark) : null,
)
const gaps = computed(() =>
  withDamage(
    unrecorded.value.map((gap) => ({ ...gap, reason: reasonOf(gap, markers.value) })),
    judgement.gaps.value,
    window.value,
  ),
)
const onsets = computed(() =>
  findings.value
    .map((finding) => ({ id: finding.id, at: toMs(finding.onset.at) }))
    .filter((onset) => contains(window.value, onset.at)),
)
</script>

<template>
  <div class="flex min-h-0 flex-col print:block" tabindex="-1">
    <WhoCard
      v-if="board.layout === 'device' && board.device && isWho(board.device.kind)"
      class="shrink-0"
      :device="board.device"
    />
    <FilesystemTable v-if="board.layout === 'filesystems'" class="shrink-0" />
    <LogReader v-if="board.layout === 'logs'" class="shrink-0" />
    <InterfaceTable v-if="board.layout === 'interfaces'" class="shrink-0" />
    <div
      class="relative min-h-0 grow overflow-x-hidden overflow-y-auto print:overflow-visible"
      role="region"
      aria-label="Strips"
      tabindex="0"
      data-strips
    >
      <!-- Lanes and axis scroll with the strips' box: a scroll bar then takes the same room from all. -->
      <div class="flex min-h-full flex-col">
        <div class="sticky top-0 z-30 bg-paper print:static">
          <FindingLane v-if="withLane" :findings="findings" :window="window" @find="moves.find" />
          <MarkerLane v-if="noted.length" :markers="noted" :window="window" @find="moves.note" />
          <MarkerLane
            v-for="lane in lanes"
            :key="lane.log"
            :title="lane.log"
            :markers="lane.markers"
            :window="window"
            @find="moves.toLine"
          />
        </div>
        <CoreLane v-if="coreLane" :window="window" />
        <div class="relative grow">
          <div ref="list" class="relative">
            <template v-for="(row, place) in rows" :key="row.strip.key">
              <div v-if="target === place" class="relative z-20 h-0 border-t-2 border-needle" />
              <StripRow
                :row="row"
                :window="window"
                :matched-top="matchedTops.get(row.strip.plan.unit) ?? 0"
                :carriage="carriage"
                @lift="lift(row.strip, $event)"
                @stretch="stretch(row.strip, $event)"
                @pressed="pressed(row.strip, $event)"
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
        <TimeAxis class="sticky bottom-0 z-30 bg-paper print:static" :window="window" />
      </div>
    </div>
  </div>
</template>
