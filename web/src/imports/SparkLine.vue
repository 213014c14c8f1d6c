<script setup lang="ts">
import { computed } from 'vue'
import { lineThrough } from './mapping'

/** The numbers of a column as a line: whether they are what they are taken for shows at once. */
const props = defineProps<{ values: (number | null)[]; label: string }>()
const WIDTH = 150
const HEIGHT = 26
const line = computed(() => lineThrough(props.values, WIDTH, HEIGHT))
</script>

<template>
  <svg
    v-if="line"
    :viewBox="`-1 -1 ${WIDTH + 2} ${HEIGHT + 2}`"
    :width="WIDTH"
    :height="HEIGHT"
    role="img"
    :aria-label="label"
  >
    <path :d="line" fill="none" class="stroke-other" stroke-width="1.2" />
  </svg>
  <span v-else class="text-2xs text-soft">no numbers</span>
</template>
