<script setup lang="ts">
import { computed } from 'vue'
import type { Series } from '../api/client'
import { isUnit, scaleFor, spellAmount, spellNumber, type Unit } from '../model/amounts'
import type { StripPlan } from '../model/layouts'

/** The window in figures, of the strip's first trace; of a stack, of its largest. */
interface Props {
  plan: StripPlan
  series: (Series | undefined)[]
}
const props = defineProps<Props>()

const chosen = computed(() => {
  const known = props.series.map((one, at) => ({ one, label: props.plan.traces[at]?.label ?? '' }))
  if (!props.plan.stacked) return known[0]
  return known.reduce((most, next) =>
    (next.one?.summary?.mean ?? 0) > (most.one?.summary?.mean ?? 0) ? next : most,
  )
})
const summary = computed(() => chosen.value?.one?.summary ?? null)
const scale = computed(() => scaleFor(props.plan.unit, summary.value?.high ?? 0))
const total = computed(() => {
  if (summary.value?.total === null || summary.value?.total === undefined) return null
  // A rate amounts to bytes whatever it is drawn in; a share of time amounts to seconds.
  const unit: Unit = props.plan.unit === 'share' ? 's' : props.plan.unit === '1/s' ? 'count' : 'bytes'
  return isUnit(unit) ? spellAmount(summary.value.total, unit) : null
})
const rows = computed(() => {
  const seen = summary.value
  if (!seen) return []
  return [
    ['low', spellNumber(seen.low, scale.value)],
    ['mean', spellNumber(seen.mean, scale.value)],
    ['p95', spellNumber(seen.p95, scale.value)],
    ['high', spellNumber(seen.high, scale.value)],
    ...(total.value ? [['total', total.value]] : []),
  ] as [string, string][]
})
</script>

<template>
  <div
    class="py-1.5 pr-3 pl-3 text-2xs"
    :aria-label="`${plan.title}, ${chosen?.label ?? ''}, this window in figures`"
  >
    <p class="flex justify-between text-soft">
      <span v-if="plan.traces.length > 1" class="italic">{{ chosen?.label }}</span><span class="ml-auto">{{
        scale.unit
      }}</span>
    </p>
    <dl class="leading-[13px]">
      <div v-for="[name, value] in rows" :key="name" class="flex justify-between">
        <dt class="text-soft">{{ name }}</dt>
        <dd :data-summary="name">{{ value }}</dd>
      </div>
    </dl>
    <p v-if="summary && summary.coverage < 0.9995" class="text-soft">
      {{ (summary.coverage * 100).toFixed(1) }} % seen
    </p>
  </div>
</template>
