<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, useTemplateRef } from 'vue'
import { axisMoments, spellAxis, spellDay, type Zone } from '../model/clock'
import { shareAt, type Span } from '../model/span'

/** Round moments along a stretch of time. */
const props = defineProps<{
  window: Span
  zone: Zone
  /** Whether a time alone does not say which day is meant. */
  dated?: boolean
}>()

/** Room for one label, however long it is. */
const LABEL_PX = 72
const axis = useTemplateRef<HTMLDivElement>('axis')
const { width } = useElementSize(axis)
const labels = computed(() => {
  const most = Math.max(Math.floor(width.value / LABEL_PX), 2)
  const moments = axisMoments(props.window.start, props.window.end, most, props.zone)
  const step = moments.length > 1 ? (moments[1] ?? 0) - (moments[0] ?? 0) : 60_000
  const texts = moments.map((at) => ({
    at,
    text: spellAxis(at, step, props.zone),
    share: shareAt(props.window, at),
  }))
  // Where no label is a day, the first one that fits has it in front.
  const first = texts.find(({ share }) => share > 0.06)
  if (props.dated && first && texts.every(({ text }) => text.includes(':')))
    first.text = `${spellDay(first.at, props.zone)} ${first.text}`
  return texts
})
</script>

<template>
  <div ref="axis" class="relative" aria-hidden="true">
    <template v-for="label in labels" :key="label.at">
      <span
        class="absolute top-0 h-1 border-l border-rule-strong"
        :style="{ left: `${label.share * 100}%` }"
      />
      <span
        v-if="label.share > 0.02 && label.share < 0.98"
        class="pointer-events-none absolute top-1 -translate-x-1/2 whitespace-nowrap"
        :style="{ left: `${label.share * 100}%` }"
        >{{ label.text }}</span
      >
    </template>
    <slot />
  </div>
</template>
