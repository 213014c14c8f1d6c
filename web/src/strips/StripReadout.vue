<script setup lang="ts">
import { computed } from 'vue'
import { scaleFor, spellAmount } from '../model/amounts'
import { indexAt } from '../model/lookup'
import { contains, shareAt, type Span } from '../model/span'
import type { Strip } from '../model/strips'
import { useWorkbench } from '../useWorkbench'
import { heightOf, type StripData } from './chart'

/** What a strip reads at the needle: what a stack adds up to, or each line's own value. */
interface Props {
  strip: Strip
  data: StripData
  window: Span
  top: number
  labelled: (label: string) => string
}
const props = defineProps<Props>()

const SHOWN_LINES = 3
const bench = useWorkbench()
const index = computed(() => {
  const { times, binMs, missing } = props.data
  return bench.needle === null || !contains(props.window, bench.needle) || missing
    ? null
    : indexAt(times, bench.needle, binMs)
})
// The needle moves much oftener than from one tick or bin to the next.
const told = computed(() => {
  const { plan, log } = props.strip
  const at = index.value
  if (at === null) return null
  const { lines, whole } = props.data
  const shown = plan.stackedTo ? (whole ? [whole] : []) : lines
  const here = shown
    .map((line) => ({ line, value: line.values[at] ?? null }))
    .filter((one): one is { line: (typeof shown)[0]; value: number } => one.value !== null)
  if (!here.length) return null
  const ranked = shown.length > SHOWN_LINES ? [...here].sort((a, b) => b.value - a.value) : here
  const own = scaleFor(plan.unit, Math.max(...here.map((one) => one.value)))
  const words = ranked
    .slice(0, SHOWN_LINES)
    .map(({ line, value }) =>
      shown.length > 1
        ? `${props.labelled(line.label)} ${spellAmount(value, plan.unit, own)}`
        : spellAmount(value, plan.unit, own),
    )
  if (ranked.length > SHOWN_LINES) words.push(`+${ranked.length - SHOWN_LINES}`)
  return {
    text: words.join(' · '),
    heights: ranked.slice(0, SHOWN_LINES).map((one) => heightOf(one.value, props.top, log)),
  }
})
const share = computed(() => (bench.needle === null ? 0 : shareAt(props.window, bench.needle)))
const isLate = computed(() => share.value > 0.72)
</script>

<template>
  <div v-if="told" class="pointer-events-none absolute inset-0 z-20 [container-type:inline-size]">
    <div
      class="absolute inset-y-0 left-0 will-change-transform"
      :style="{ transform: `translateX(${share * 100}cqw)` }"
    >
      <span
        v-for="(at, place) in told.heights"
        :key="place"
        class="absolute left-0 size-[7px] -translate-x-1/2 translate-y-1/2 rounded-full border-[1.5px] bg-paper"
        :style="{ bottom: `${at * 100}%`, borderColor: `var(--color-${strip.plan.resource})` }"
      />
      <span
        class="absolute -top-1.5 z-20 bg-paper/85 px-1 text-2xs font-semibold whitespace-nowrap"
        :class="isLate ? 'right-1.5' : 'left-1.5'"
        :style="{ color: `var(--color-${strip.plan.resource})` }"
        data-readout
        >{{ told.text }}</span
      >
    </div>
  </div>
</template>
