<script setup lang="ts">
import { computed } from 'vue'
import type { Difference } from '../api/client'
import { spellAmount } from '../model/amounts'
import { unitOf } from '../model/layouts'
import { shapePath } from './words'

/** Both distributions of a measure on one scale: the reference pale behind, the window in its ink. */
const props = defineProps<{ item: Difference }>()
const [WIDTH, HEIGHT] = [220, 26]
const label = computed(() => {
  const unit = unitOf(props.item.measure, props.item.unit)
  const say = (value: number): string => spellAmount(value, unit)
  return `reference around ${say(props.item.reference.median)}, window around ${say(props.item.window.median)}${props.item.scale_log ? ', on a logarithmic scale' : ''}`
})
</script>

<template>
  <svg
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    class="h-[26px] w-full"
    preserveAspectRatio="none"
    role="img"
    :aria-label="label"
  >
    <title>{{ label }}</title>
    <path
      :d="shapePath(item.reference.shape, WIDTH, HEIGHT)"
      fill="var(--color-rule-strong)"
      fill-opacity="0.75"
    />
    <path
      :d="shapePath(item.window.shape, WIDTH, HEIGHT)"
      :fill="`var(--color-${item.resource})`"
      fill-opacity="0.55"
      :stroke="`var(--color-${item.resource})`"
      stroke-width="1"
      vector-effect="non-scaling-stroke"
    />
    <line x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" stroke="var(--color-rule-strong)" />
  </svg>
</template>
