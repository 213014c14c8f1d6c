<script setup lang="ts">
import { computed, onMounted, useTemplateRef, watch } from 'vue'
import { shareAt, type Span } from '../model/span'
import { usePreferences } from '../usePreferences'
import { currentRamp, painted, PIXELS } from './ramp'

/** A row of bins in the ramp's ink; what was not observed stays hatched. */
interface Props {
  mean: (number | null)[]
  high: (number | null)[]
  firstMs: number
  binMs: number
  extent: Span
}
const props = defineProps<Props>()

const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const { theme } = usePreferences()
const place = computed(() => {
  const from = shareAt(props.extent, props.firstMs)
  const to = shareAt(props.extent, props.firstMs + props.binMs * props.mean.length)
  return { left: `${from * 100}%`, width: `${(to - from) * 100}%` }
})

function paint(): void {
  const context = canvas.value?.getContext('2d')
  if (!canvas.value || !context || !props.mean.length) return
  canvas.value.width = props.mean.length
  canvas.value.height = PIXELS
  const pixels = painted(props.mean, props.high, currentRamp(theme.value))
  context.putImageData(new ImageData(pixels, props.mean.length, PIXELS), 0, 0)
}

onMounted(paint)
watch([() => props.mean, () => props.high, theme], paint, { flush: 'post' })
</script>

<template>
  <div class="hatched relative overflow-hidden">
    <canvas ref="canvas" class="absolute inset-y-0 h-full [image-rendering:pixelated]" :style="place" />
  </div>
</template>
