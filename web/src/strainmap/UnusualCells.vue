<script setup lang="ts">
import { computed } from 'vue'
import type { Unusual } from '../api/client'
import { toMs } from '../model/instant'
import type { Span } from '../model/span'
import StrainCells from './StrainCells.vue'
import { unusualWords } from './unusual'

/** When anything waited, queued or failed beyond what is usual for the hour, in the ink of strain. */
interface Props {
  unusual: Unusual
  extent: Span
}
const props = defineProps<Props>()
const words = computed(() => unusualWords(props.unusual))
</script>

<template>
  <StrainCells
    role="img"
    :aria-label="words"
    :title="words"
    :mean="unusual.strain"
    :high="unusual.strain"
    :first-ms="toMs(unusual.start)"
    :bin-ms="unusual.bin_s * 1000"
    :extent="extent"
    data-unusual
  />
</template>
