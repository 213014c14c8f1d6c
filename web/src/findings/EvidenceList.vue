<script setup lang="ts">
import type { Evidence, Unit } from '../api/client'
import { useMeasures } from '../api/queries'
import { kindOf, useNames } from '../names/useNames'
import { spellAmount } from '../model/amounts'

/** What a judgement rests on: each measure against the threshold it was held to. */
defineProps<{ evidence: Evidence[] }>()

const names = useNames()
const { data: measures } = useMeasures()
const titleOf = (name: string): string =>
  measures.value?.find((measure) => measure.name === name)?.title ?? name

const say = (value: number | null, unit: Unit): string => (value === null ? '–' : spellAmount(value, unit))

/** Value and threshold on one hairline, the larger at three quarters. */
const place = (value: number, item: Evidence): number =>
  (value / Math.max(item.value, item.threshold ?? 0, 1e-12)) * 75
</script>

<template>
  <ul class="space-y-1.5">
    <li v-for="item in evidence" :key="item.measure + (item.device ?? '')">
      <div class="flex items-baseline justify-between gap-2">
        <span :title="item.measure">
          {{ titleOf(item.measure)
          }}<template v-if="item.device"> of {{ names.labelOf(kindOf(item.measure), item.device) }}</template>
        </span>
        <b class="font-semibold">{{ say(item.value, item.unit) }}</b>
      </div>
      <div class="relative mt-0.5 h-1.5 border-b border-rule" aria-hidden="true">
        <span
          class="absolute bottom-0 left-0 h-[3px] bg-soft"
          :style="{ width: `${place(item.value, item)}%` }"
        />
        <span
          v-if="item.threshold !== null"
          class="absolute bottom-0 h-1.5 border-l-2 border-needle"
          :style="{ left: `${place(item.threshold, item)}%` }"
        />
      </div>
      <p v-if="item.threshold !== null" class="text-2xs text-soft">
        {{ item.reads }} {{ say(item.threshold, item.unit) }}
      </p>
    </li>
  </ul>
</template>
