<script setup lang="ts">
import { computed } from 'vue'
import { shareAt, type Span } from '../model/span'
import type { Strip } from '../model/strips'
import { useWorkbench } from '../useWorkbench'
import { heightOf, type StripData } from './chart'
import { placeOf, readingOf } from './reading'

/**
 * What a strip reads at the needle: what a stack adds up to, or each line's own value. It stands in the one thing that moves
 * with the needle: a layer for each strip would cost more than the strips.
 */
interface Props {
  strip: Strip
  data: StripData
  window: Span
  top: number
  labelled: (label: string) => string
  /** What moves with the needle, once it is there, and where in it the strip stands, px. */
  carriage: HTMLElement | null
  offset: number
}
const props = defineProps<Props>()

/** From this share of the window on, what is read stands left of the needle. */
const LATE = 0.72
/** Above and below a strip's chart. */
const MARGIN_PX = 8
const bench = useWorkbench()
const index = computed(() => placeOf(props.data, props.window, bench.needle))
// The needle moves much oftener than from one tick or bin to the next.
const readout = computed(() => {
  const reading = readingOf(props.strip, props.data, index.value, props.labelled)
  return reading
    ? {
        text: reading.text,
        heights: reading.values.map((value) => heightOf(value, props.top, props.strip.log)),
      }
    : null
})
const isLate = computed(() => bench.needle !== null && shareAt(props.window, bench.needle) > LATE)
</script>

<template>
  <Teleport v-if="readout && carriage" :to="carriage">
    <div
      class="absolute left-0"
      :style="{ top: `${offset + MARGIN_PX}px`, height: `${strip.height - 2 * MARGIN_PX - 1}px` }"
    >
      <span
        v-for="(at, place) in readout.heights"
        :key="place"
        class="absolute -mb-[3.5px] -ml-[3.5px] size-[7px] rounded-full border-[1.5px] bg-paper"
        :style="{ bottom: `${at * 100}%`, borderColor: `var(--color-${strip.plan.resource})` }"
      />
      <span
        class="absolute -top-1.5 bg-paper/85 px-1 text-2xs font-semibold whitespace-nowrap"
        :class="isLate ? 'right-1.5' : 'left-1.5'"
        :style="{ color: `var(--color-${strip.plan.resource})` }"
        :data-readout="strip.plan.id"
        >{{ readout.text }}</span
      >
    </div>
  </Teleport>
</template>
