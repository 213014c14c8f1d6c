<script setup lang="ts">
import { computed } from 'vue'
import type { Resource } from '../model/strips'
import { heightOf, type StripData } from './chart'

/** The names of the outstanding lines at their ends, where the eye is when it asks which one this is. */
interface Props {
  data: StripData
  resource: Resource
  top: number
  log: boolean
  height: number
  labelled: (label: string) => string
  highlighted: number | null
}
const props = defineProps<Props>()

const SHOWN = 3
const LABEL_PX = 12
const labels = computed(() => {
  const ends = props.data.lines
    .map((line, at) => ({ line, at, value: lastOf(line.values) }))
    .filter((item): item is typeof item & { value: number } => item.value !== null)
    .sort((a, b) => (b.line.summary?.mean ?? 0) - (a.line.summary?.mean ?? 0))
  const chosen = ends.filter(({ at }, place) => place < SHOWN || at === props.highlighted)
  return spread(
    chosen.map((item) => ({
      ...item,
      bottom: heightOf(item.value, props.top, props.log) * props.height + 1,
    })),
  )
})

/** None closer to its neighbour than it is high: moved up from below, and down again from the strip's upper edge. */
function spread<T extends { bottom: number }>(items: T[]): T[] {
  const rising = [...items].sort((a, b) => a.bottom - b.bottom)
  let least = 0
  for (const item of rising) {
    item.bottom = Math.max(item.bottom, least)
    least = item.bottom + LABEL_PX
  }
  let most = props.height - LABEL_PX
  for (const item of rising.reverse()) {
    item.bottom = Math.max(Math.min(item.bottom, most), 0)
    most = item.bottom - LABEL_PX
  }
  return rising
}

/** Of its newest tick that is known, where that is near the end: a line that ended long before has no end here. */
function lastOf(values: (number | null)[]): number | null {
  for (let at = values.length - 1; at >= values.length * 0.9; at--) {
    const value = values[at]
    if (value !== null && value !== undefined) return value
  }
  return null
}
</script>

<template>
  <div class="pointer-events-none absolute inset-0" aria-hidden="true">
    <span
      v-for="label in labels"
      :key="label.line.label"
      class="absolute right-0.5 bg-paper/75 px-0.5 text-[10px] leading-[12px] whitespace-nowrap"
      :class="label.at === highlighted ? 'font-semibold' : ''"
      :style="{
        bottom: `${label.bottom}px`,
        color: `color-mix(in srgb, var(--color-${resource}) ${Math.max(label.line.weight, 0.7) * 100}%, var(--color-ink))`,
      }"
      data-end-label
      >{{ labelled(label.line.label) }}</span
    >
  </div>
</template>
