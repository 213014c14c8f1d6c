<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { onBeforeUnmount, shallowRef, useTemplateRef, watch } from 'vue'
import type { StripPlan } from '../model/strips'
import type { Span } from '../model/span'
import { inkOf } from '../ui/inks'
import { usePreferences } from '../usePreferences'
import { plotColumns, plotOptions, type Inks, type StripData } from './chart'

/** The drawing of one strip. It redraws when its data, its window, its size or the light changes, and not otherwise. */
interface Props {
  plan: StripPlan
  data: StripData
  window: Span
  /** The value at the upper edge. */
  top: number
  log: boolean
  /** The line that stands in front of the others. */
  highlighted: number | null
}
const props = defineProps<Props>()

const holder = useTemplateRef<HTMLDivElement>('holder')
const { width, height } = useElementSize(holder)
const { theme } = usePreferences()
const plot = shallowRef<uPlot | null>(null)
let drawnAs = ''

function inks(): Inks {
  const of = (name: string): string => inkOf(name, theme.value)
  return { ink: of(props.plan.resource), paper: of('paper'), rule: of('rule-strong') }
}

function draw(): void {
  if (!holder.value || width.value < 10 || height.value < 10) return
  // What is still on its way would be drawn in another shape than what comes.
  if (!props.data.lines.length) {
    plot.value?.destroy()
    plot.value = null
    drawnAs = ''
    return
  }
  const size = { width: Math.floor(width.value), height: Math.floor(height.value) }
  const shape = JSON.stringify([
    props.plan.id,
    props.data.band !== null,
    props.data.lines.map((line) => [line.weight, line.width, line.dash]),
    props.highlighted,
    theme.value,
    size,
  ])
  if (shape !== drawnAs) {
    plot.value?.destroy()
    plot.value = new uPlot(
      plotOptions(props.plan, props.data, inks(), size, props.highlighted),
      [[]],
      holder.value,
    )
    drawnAs = shape
  }
  const drawing = plot.value
  drawing?.batch(() => {
    drawing.setData(plotColumns(props.plan, props.data, props.top, props.log), false)
    drawing.setScale('x', { min: props.window.start, max: props.window.end })
    drawing.setScale('y', { min: 0, max: 1 })
  })
}

watch(
  [
    () => props.data,
    () => props.window,
    () => props.top,
    () => props.log,
    () => props.highlighted,
    width,
    height,
    theme,
  ],
  draw,
  {
    flush: 'post',
  },
)
onBeforeUnmount(() => plot.value?.destroy())
</script>

<template>
  <div ref="holder" class="h-full w-full overflow-hidden" />
</template>

<style scoped>
/* Its own pointer layers are not used: the strips have one surface for all. */
div :deep(.u-under),
div :deep(.u-over) {
  display: none;
}
</style>
