<script setup lang="ts">
import { useZone } from '../usePreferences'
import type { Span } from '../model/span'
import AxisLabels from '../ui/AxisLabels.vue'
import NeedleLine from '../ui/NeedleLine.vue'

defineProps<{ window: Span }>()
const zone = useZone()
</script>

<template>
  <div class="strip-grid h-6 shrink-0 border-t border-rule-strong text-2xs text-soft">
    <AxisLabels class="col-start-3" :window="window" :zone="zone" dated>
      <NeedleLine
        class="top-0 size-0 -ml-[5px] border-x-[5px] border-b-[7px] border-x-transparent border-b-needle"
        :span="window"
      />
    </AxisLabels>
  </div>
</template>
