<script setup lang="ts">
import { toMs } from '../model/instant'
import { computed, ref, useTemplateRef } from 'vue'
import type { Finding } from '../api/client'
import NeedleLine from '../ui/NeedleLine.vue'
import { clampTo, lengthOf, momentAt, shareAt, within, type Span } from '../model/span'

/** The whole archive as one line: the window on it, the needle, the findings. Drag the window, or click to go there. */
interface Props {
  extent: Span
  window: Span
  findings: Finding[]
}
const props = defineProps<Props>()
const emit = defineEmits<{ look: [window: Span]; point: [at: number] }>()

const line = useTemplateRef<HTMLDivElement>('line')
const held = ref<number | null>(null)

const percent = (at: number): string => `${Math.min(Math.max(shareAt(props.extent, at), 0), 1) * 100}%`
const span = (start: number, end: number): Record<string, string> => ({
  left: percent(start),
  width: `${Math.max(shareAt(props.extent, end) - shareAt(props.extent, start), 0.003) * 100}%`,
})
const marks = computed(() =>
  props.findings.map((finding) => ({
    id: finding.id,
    resource: finding.resource,
    style: span(toMs(finding.start), toMs(finding.end)),
  })),
)

function momentOf(event: PointerEvent): number {
  const box = line.value?.getBoundingClientRect()
  return box ? momentAt(props.extent, (event.clientX - box.left) / box.width) : props.extent.start
}

function down(event: PointerEvent): void {
  line.value?.setPointerCapture(event.pointerId)
  const at = momentOf(event)
  held.value =
    at >= props.window.start && at <= props.window.end ? at - props.window.start : lengthOf(props.window) / 2
  move(event)
}

function move(event: PointerEvent): void {
  if (held.value === null) return
  const start = momentOf(event) - held.value
  emit('look', within({ start, end: start + lengthOf(props.window) }, props.extent))
}

function up(event: PointerEvent): void {
  if (held.value !== null) emit('point', clampTo(props.extent, momentOf(event)))
  held.value = null
}
</script>

<template>
  <div
    ref="line"
    class="relative h-8 cursor-pointer touch-none"
    role="img"
    aria-label="The whole archive with the window, the needle and the findings"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="held = null"
  >
    <div class="absolute inset-x-0 top-1/2 border-t-2 border-rule-strong" />
    <div
      class="absolute inset-y-1.5 border border-ink/50 bg-ink/5"
      :style="span(window.start, window.end)"
      data-window
    />
    <div
      v-for="mark in marks"
      :key="mark.id"
      class="absolute top-[calc(50%+4px)] h-[3px]"
      :style="{ ...mark.style, background: `var(--color-${mark.resource})` }"
    />
    <NeedleLine class="inset-y-0.5 w-0.5 -ml-px bg-needle" :span="extent" />
  </div>
</template>
