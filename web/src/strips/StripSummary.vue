<script setup lang="ts">
import { computed } from 'vue'
import { scaleFor, spellAmount, spellNumber } from '../model/amounts'
import { spellDuration } from '../model/clock'
import type { StripPlan } from '../model/layouts'
import type { StripData } from './chart'

/** The window in figures: of what a stack adds up to, or of the strip's first line. */
interface Props {
  plan: StripPlan
  data: StripData
}
const props = defineProps<Props>()

const summary = computed(
  () => (props.plan.stackedTo ? props.data.whole : props.data.series[0])?.summary ?? null,
)
const label = computed(() =>
  !props.plan.stackedTo && props.plan.traces.length > 1 ? props.plan.traces[0]?.label : null,
)
const scale = computed(() => scaleFor(props.plan.unit, summary.value?.high ?? 0))

/** Of many hours nobody needs the minutes, and there is no room for them. */
const ROUND_S = 5 * 3_600
const roundedTo = (amount: number, step: number): number => Math.round(amount / step) * step

/** What a rate amounts to over the window: bytes, whatever it is drawn in; of a share of time, the time. */
const total = computed(() => {
  const amount = summary.value?.total
  if (amount === null || amount === undefined) return null
  if (props.plan.unit === 'share')
    return spellDuration(
      amount >= ROUND_S ? roundedTo(amount, 3_600) : amount >= 60 ? roundedTo(amount, 60) : amount,
    )
  return spellAmount(amount, props.plan.unit === '1/s' ? 'count' : 'bytes')
})
/** Over long windows the figures are of minutes or hours; all are exact but the percentile, and that is said. */
const rounded = computed(() => {
  const length = summary.value?.of_s
  return length ? `of the means of ${spellDuration(length)}; the window is rounded to such` : undefined
})
const rows = computed<[string, string][]>(() => {
  const seen = summary.value
  if (!seen) return []
  return [
    ['low', spellNumber(seen.low, scale.value)],
    ['mean', spellNumber(seen.mean, scale.value)],
    ['p95', spellNumber(seen.p95, scale.value)],
    ['high', spellNumber(seen.high, scale.value)],
    ...(total.value === null ? [] : [['total', total.value] as [string, string]]),
    ['seen', `${(seen.coverage * 100).toFixed(seen.coverage > 0.9995 ? 0 : 1)} %`],
  ]
})
</script>

<template>
  <div class="px-3 py-1 text-2xs leading-[12px]" :aria-label="`${plan.title}, this window in figures`">
    <p class="flex h-3 justify-between text-soft">
      <span class="italic">{{ label }}</span><span>{{ scale.unit }}</span>
    </p>
    <dl>
      <div v-for="[name, value] in rows" :key="name" class="flex justify-between whitespace-nowrap">
        <dt class="text-soft" :title="name === 'p95' ? rounded : undefined">
          {{ name }}{{ name === 'p95' && rounded ? ' ≈' : '' }}
        </dt>
        <dd :data-summary="name" :class="name === 'seen' ? 'text-soft' : ''">{{ value }}</dd>
      </div>
    </dl>
  </div>
</template>
