<script setup lang="ts">
import type { Zone } from '../model/clock'
import type { Span } from '../model/span'
import AxisLabels from '../ui/AxisLabels.vue'

interface Props {
  window: Span
  zone: Zone
  /** Where the needle is, 0 to 1. */
  needleShare: number | null
}
defineProps<Props>()
</script>

<template>
  <div class="strip-grid h-6 shrink-0 border-t border-rule-strong text-2xs text-soft">
    <AxisLabels class="col-start-3" :window="window" :zone="zone">
      <span
        v-if="needleShare !== null"
        class="absolute top-0 size-0 -translate-x-1/2 border-x-[5px] border-b-[7px] border-x-transparent border-b-needle"
        :style="{ left: `${needleShare * 100}%` }"
      />
    </AxisLabels>
  </div>
</template>
