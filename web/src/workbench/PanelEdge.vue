<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed, ref } from 'vue'

const props = defineProps<{ least: number; most: number }>()
/** The edge between strips and side panel: dragged, or moved by the arrows, it makes the panel wider. */
const width = defineModel<number | null>({ required: true })
const STEP_PX = 24
const dragging = ref<{ x: number; width: number } | null>(null)
const edge = ref<HTMLElement | null>(null)
const now = (): number =>
  width.value ?? edge.value?.nextElementSibling?.getBoundingClientRect().width ?? props.least
const clamp = (px: number): number => Math.round(Math.min(Math.max(px, props.least), props.most))
const value = computed(() => width.value ?? props.least)

function down(event: PointerEvent): void {
  if (event.button !== 0) return
  dragging.value = { x: event.clientX, width: now() }
  edge.value?.setPointerCapture(event.pointerId)
}
useEventListener(edge, 'pointermove', (event: PointerEvent) => {
  if (dragging.value) width.value = clamp(dragging.value.width - (event.clientX - dragging.value.x))
})
useEventListener(edge, ['pointerup', 'pointercancel'], () => (dragging.value = null))
function pressed(event: KeyboardEvent): void {
  const by = { ArrowLeft: STEP_PX, ArrowRight: -STEP_PX }[event.key]
  if (by === undefined) return
  // The arrows of the page step from tick to tick.
  event.stopPropagation()
  event.preventDefault()
  width.value = clamp(now() + by)
}
</script>

<template>
  <div
    ref="edge"
    role="separator"
    tabindex="0"
    aria-orientation="vertical"
    aria-label="Width of the side panel"
    :aria-valuemin="least"
    :aria-valuemax="most"
    :aria-valuenow="value"
    class="relative z-10 -mr-1.5 w-1.5 cursor-col-resize touch-none hover:bg-needle/20 focus-visible:bg-needle/30"
    :class="dragging ? 'bg-needle/20' : ''"
    title="Drag to make the panel wider; double-click for its usual width"
    data-panel-edge
    @pointerdown="down"
    @dblclick="width = null"
    @keydown="pressed"
  />
</template>
