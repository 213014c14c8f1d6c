<script setup lang="ts">
import { computed } from 'vue'
import { contains, shareAt, type Span } from '../model/span'
import { useWorkbench } from '../useWorkbench'

/**
 * The needle over a stretch of time, with all that moves along with it. Apart from all else, and moved without laying
 * anything out again: while playing that happens sixty times a second.
 */
const props = defineProps<{ span: Span }>()
defineOptions({ inheritAttrs: false })

const bench = useWorkbench()
const transform = computed(() =>
  bench.needle !== null && contains(props.span, bench.needle)
    ? `translateX(${shareAt(props.span, bench.needle) * 100}cqw)`
    : null,
)
</script>

<template>
  <div v-if="transform !== null" class="pointer-events-none absolute inset-0 [container-type:inline-size]">
    <div class="absolute left-0 will-change-transform" :style="{ transform }" v-bind="$attrs"><slot /></div>
  </div>
</template>
