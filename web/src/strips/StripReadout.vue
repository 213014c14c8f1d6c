<script setup lang="ts">
import { computed } from 'vue'
import { digitsToShow, scaleFor, spellAmount } from '../model/amounts'
import { indexAt } from '../model/lookup'
import { contains, shareAt, type Span } from '../model/span'
import type { Strip } from '../model/strips'
import { useWorkbench } from '../useWorkbench'
import { heightOf, type StripData } from './chart'

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

const SHOWN_LINES = 3
/** From this share of the window on, what is read stands left of the needle. */
const LATE = 0.72
/** Above and below a strip's chart. */
const MARGIN_PX = 8
const bench = useWorkbench()
const index = computed(() => {
  const { times, binMs, missing } = props.data
  return bench.needle === null || !contains(props.window, bench.needle) || missing
    ? null
    : indexAt(times, bench.needle, binMs)
})
// The needle moves much oftener than from one tick or bin to the next.
const readout = computed(() => {
  const { plan, log } = props.strip
  const at = index.value
  if (at === null) return null
  const { lines, whole } = props.data
  const shown = plan.stackedTo ? (whole ? [whole] : []) : lines
  const here = shown
    .map((line) => ({ line, value: line.values[at] ?? null }))
    .filter((item): item is { line: (typeof shown)[0]; value: number } => item.value !== null)
  if (!here.length) return null
  const ranked = shown.length > SHOWN_LINES ? [...here].sort((a, b) => b.value - a.value) : here
  // By the window's highest, so that units do not change from tick to tick.
  const highest = shown.map((line) => line.summary?.high ?? 0)
  const own = scaleFor(plan.unit, Math.max(...highest, ...here.map((item) => item.value)))
  const words = ranked
    .slice(0, SHOWN_LINES)
    .map(({ line, value }) =>
      shown.length > 1
        ? `${props.labelled(line.label)} ${spellAmount(value, plan.unit, digitsToShow(value, own))}`
        : spellAmount(value, plan.unit, digitsToShow(value, own)),
    )
  if (ranked.length > SHOWN_LINES) words.push(`+${ranked.length - SHOWN_LINES}`)
  return {
    text: words.join(' · '),
    heights: ranked.slice(0, SHOWN_LINES).map((item) => heightOf(item.value, props.top, log)),
  }
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
