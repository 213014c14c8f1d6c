<script setup lang="ts">
import { toMs } from '../model/instant'
import { computed } from 'vue'
import type { Finding } from '../api/client'
import { harmOf } from '../findings/harm'
import { shareAt, type Span } from '../model/span'

/** Findings as brackets above the strips: where they begin, where they end. */
interface Props {
  findings: Finding[]
  window: Span
}
const props = defineProps<Props>()
defineEmits<{ find: [id: string] }>()

const brackets = computed(() =>
  props.findings
    .map((finding) => ({
      finding,
      from: Math.max(shareAt(props.window, toMs(finding.start)), 0),
      to: Math.min(shareAt(props.window, toMs(finding.end)), 1),
    }))
    .filter(({ from, to }) => from < 1 && to > 0),
)
</script>

<template>
  <div v-if="brackets.length" class="strip-grid h-7 shrink-0 border-b border-rule">
    <p class="pt-1.5 pl-[18px] text-2xs text-soft">Findings</p>
    <div class="relative col-start-3 overflow-hidden">
      <button
        v-for="{ finding, from, to } in brackets"
        :key="finding.id"
        type="button"
        class="absolute top-1.5 h-4 min-w-1 border-x-[1.5px] border-t-[1.5px] text-left text-2xs"
        :style="{
          left: `${from * 100}%`,
          width: `${(to - from) * 100}%`,
          borderColor: `var(--color-${finding.resource})`,
          color: `var(--color-${finding.resource})`,
        }"
        :title="[finding.title, harmOf(finding)].filter(Boolean).join(', ')"
        @click="$emit('find', finding.id)"
      >
        <span class="block truncate px-1">{{
          [finding.title, harmOf(finding)].filter(Boolean).join(', ')
        }}</span>
      </button>
    </div>
  </div>
</template>
