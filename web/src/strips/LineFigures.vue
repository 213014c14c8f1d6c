<script setup lang="ts">
import { computed } from 'vue'
import { scaleFor, spellAmount, spellNumber } from '../model/amounts'
import type { Strip } from '../model/strips'
import type { Line, StripData } from './chart'
import LineSample from './LineSample.vue'

/** Each line of a strip in figures, heaviest first; the rest of them, and their other figures, in the title. */
interface Props {
  strip: Strip
  data: StripData
  labelled: (label: string) => string
  highlighted: number | null
}
const props = defineProps<Props>()
const emit = defineEmits<{ highlight: [line: number | null] }>()

const ROW_PX = 12
const HEAD_PX = 28
const rows = computed(() =>
  props.data.lines
    .map((line, at) => ({ line, at }))
    .sort((a, b) => (b.line.summary?.mean ?? -1) - (a.line.summary?.mean ?? -1)),
)
const room = computed(() => Math.max(Math.floor((props.strip.height - HEAD_PX) / ROW_PX), 1))
const shown = computed(() =>
  rows.value.slice(0, rows.value.length > room.value ? Math.max(room.value - 1, 1) : room.value),
)
const scale = computed(() =>
  scaleFor(props.strip.plan.unit, Math.max(0, ...props.data.lines.map((line) => line.summary?.high ?? 0))),
)
/** Three decimals take more room. */
const wide = computed(() => (scale.value.digits > 2 ? 'w-[34px]' : 'w-[30px]'))
const inWords = ({ label, summary }: Line): string => {
  const say = (value: number | null | undefined): string => spellAmount(value, props.strip.plan.unit)
  return summary
    ? `${props.labelled(label)}: low ${say(summary.low)}, mean ${say(summary.mean)}, p95 ${say(summary.p95)}, high ${say(summary.high)}`
    : `${props.labelled(label)}: nothing recorded`
}
const all = computed(() => rows.value.map(({ line }) => inWords(line)).join('\n'))
</script>

<template>
  <table class="w-full table-fixed" :title="all">
    <thead class="text-soft">
      <tr>
        <th class="text-left font-normal">{{ scale.unit || 'line' }}</th>
        <th class="text-right font-normal" :class="wide">mean</th>
        <th class="text-right font-normal" :class="wide">high</th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="({ line, at }, place) in shown"
        :key="line.label"
        class="leading-[12px]"
        :class="highlighted === at ? 'font-semibold' : ''"
        :data-line-figures="line.label"
        @pointerenter="emit('highlight', at)"
        @pointerleave="emit('highlight', null)"
      >
        <td class="truncate pr-1">
          <LineSample :resource="strip.plan.resource" :line="line" />{{ labelled(line.label) }}
        </td>
        <td class="text-right" :data-summary="place ? undefined : 'mean'">
          {{ spellNumber(line.summary?.mean, scale) }}
        </td>
        <td class="text-right" :data-summary="place ? undefined : 'high'">
          {{ spellNumber(line.summary?.high, scale) }}
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="rows.length > shown.length" class="text-soft" :title="all">
    {{ rows.length - shown.length }} more
  </p>
</template>
