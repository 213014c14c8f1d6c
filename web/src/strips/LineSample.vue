<script setup lang="ts">
import type { Resource } from '../model/strips'
import type { Line } from './chart'

/** A line as it is drawn, so that a name can be read back to it: by its stroke as well as by its ink. */
defineProps<{ resource: Resource; line: Line }>()
</script>

<template>
  <svg viewBox="0 0 14 4" class="mr-1 inline-block h-1 w-3.5 align-middle" aria-hidden="true">
    <path
      d="M0 2h14"
      :stroke="`color-mix(in srgb, var(--color-${resource}) ${line.weight * 100}%, var(--color-paper))`"
      :stroke-width="line.width * 1.2"
      :stroke-dasharray="line.dash.length ? line.dash.join(' ') : undefined"
    />
  </svg>
</template>
