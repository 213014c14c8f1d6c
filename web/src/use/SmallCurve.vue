<script setup lang="ts">
import { computed } from 'vue'

/** A curve beside a figure: its course over the window, from zero to the highest of all rows. */
interface Props {
  values: (number | null)[]
  top: number
  label: string
}
const props = defineProps<Props>()

const [WIDTH, HEIGHT] = [60, 15]
/** Unbroken parts, each as an area above zero. */
const parts = computed(() => {
  const step = WIDTH / Math.max(props.values.length, 1)
  const y = (value: number): number => HEIGHT - (props.top > 0 ? (value / props.top) * (HEIGHT - 1) : 0)
  const out: string[] = []
  let open: string[] = []
  let begin = 0
  const close = (end: number): void => {
    if (open.length) out.push(`M${begin},${HEIGHT}L${open.join('L')}L${end},${HEIGHT}Z`)
    open = []
  }
  props.values.forEach((value, at) => {
    if (value === null) {
      close(at * step)
      return
    }
    if (!open.length) begin = at * step
    open.push(
      `${(at * step).toFixed(1)},${y(value).toFixed(1)}`,
      `${((at + 1) * step).toFixed(1)},${y(value).toFixed(1)}`,
    )
  })
  close(WIDTH)
  return out
})
</script>

<template>
  <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" class="h-[15px] w-[60px]" role="img" :aria-label="label">
    <path
      v-for="part in parts"
      :key="part"
      :d="part"
      fill="currentColor"
      fill-opacity="0.3"
      stroke="currentColor"
      stroke-width="0.8"
    />
  </svg>
</template>
