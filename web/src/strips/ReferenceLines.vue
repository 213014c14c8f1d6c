<script setup lang="ts">
import { computed } from 'vue'
import { spellTimes } from '../comparison/words'
import { spellAmount } from '../model/amounts'
import type { Span } from '../model/span'
import type { StripPlan } from '../model/strips'
import { heightOf, type StripData } from './chart'

/** The reference behind a strip: its heaviest lines pale, from its own beginning on; of layers what they add up to. */
interface Props {
  plan: StripPlan
  data: StripData
  /** The window's. */
  own: StripData
  /** Of the reference. */
  span: Span
  top: number
  log: boolean
}
const props = defineProps<Props>()
const SHOWN = 3
const WIDTH = 1000
const lines = computed(() => {
  const { data } = props
  if (data.missing) return []
  if (data.whole) return [data.whole]
  return [...data.lines].sort((a, b) => (b.summary?.mean ?? 0) - (a.summary?.mean ?? 0)).slice(0, SHOWN)
})
const paths = computed(() =>
  lines.value.map((line) => {
    const length = props.span.end - props.span.start
    let isOpen = false
    let path = ''
    props.data.times.forEach((at, place) => {
      const value = line.values[place]
      const share = (at - props.span.start) / length
      if (value === null || value === undefined || share < 0 || share > 1) {
        isOpen = false
        return
      }
      const y = 100 - heightOf(value, props.top, props.log) * 100
      path += `${isOpen ? 'L' : 'M'}${(share * WIDTH).toFixed(1)},${y.toFixed(2)}`
      isOpen = true
    })
    return { label: line.label, path }
  }),
)
const says = computed(() => {
  const [first] = lines.value
  if (!first?.summary) return 'reference: nothing recorded'
  const { mean, high } = first.summary
  const now =
    (props.own.whole ?? props.own.lines.find((line) => line.label === first.label))?.summary?.mean ?? null
  const by =
    mean !== null && now !== null && (mean > 0 || now > 0)
      ? `; now ${spellTimes(mean > 0 ? now / mean : Infinity)}`
      : ''
  return `reference${lines.value.length > 1 ? `, ${first.label}` : ''}: mean ${spellAmount(mean, props.plan.unit)}, high ${spellAmount(high, props.plan.unit)}${by}`
})
</script>

<template>
  <div class="pointer-events-none absolute inset-0 z-10" data-reference>
    <svg
      :viewBox="`0 0 ${WIDTH} 100`"
      preserveAspectRatio="none"
      class="h-full w-full"
      role="img"
      :aria-label="says"
    >
      <path
        v-for="line in paths"
        :key="line.label"
        :d="line.path"
        fill="none"
        stroke="var(--color-soft)"
        stroke-opacity="0.55"
        stroke-width="1.2"
        stroke-dasharray="3 2"
        vector-effect="non-scaling-stroke"
      />
    </svg>
    <span class="absolute top-0 left-1 bg-paper/85 px-1 text-[10px] leading-3 text-soft">{{ says }}</span>
  </div>
</template>
