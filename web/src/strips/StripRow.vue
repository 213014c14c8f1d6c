<script setup lang="ts">
import { computed } from 'vue'
import type { SeriesSet } from '../api/client'
import { roundTop, scaleFor, spellAmount, spellRound, type Unit } from '../model/amounts'
import { indexAt } from '../model/lookup'
import type { StripPlan } from '../model/layouts'
import { contains, shareAt, type Span } from '../model/span'
import { highest, stripData } from './chart'
import StripChart from './StripChart.vue'
import StripSummary from './StripSummary.vue'

interface Props {
  plan: StripPlan
  set: SeriesSet | undefined
  window: Span
  needle: number | null
  cores: number | null
  memoryBytes: number | null
}
const props = defineProps<Props>()

/** An axis never shrinks below this, so that noise on a quiet machine does not look like a storm. */
const LEAST_TOP: Partial<Record<Unit, number>> = { 'bytes/s': 2 ** 20, 'bits/s': 125_000, count: 1, tasks: 2 }

const data = computed(() => stripData(props.plan, props.set))

const top = computed(() => {
  if (props.plan.top === 'cores' && props.cores) return props.cores
  if (props.plan.top === 'memory' && props.memoryBytes) return props.memoryBytes
  if (props.plan.top === 'whole') return 1
  const most = highest(props.plan, data.value)
  const least = Math.max(most, LEAST_TOP[props.plan.unit] ?? 0)
  return roundTop(least, scaleFor(props.plan.unit, least))
})
const scale = computed(() => scaleFor(props.plan.unit, top.value))

/** The readout at the needle: what a stack adds up to, or each line's own value. */
const readout = computed(() => {
  const { needle, window, plan } = props
  const { times, binMs, values, whole, missing } = data.value
  if (needle === null || !contains(window, needle) || missing) return null
  const index = indexAt(times, needle, binMs)
  if (index === null) return null
  const columns = plan.stackedTo ? [whole?.mean ?? []] : values
  const here = columns.map((column) => column[index] ?? null)
  if (here.every((value) => value === null)) return null
  const own = scaleFor(plan.unit, Math.max(...here.map((value) => value ?? 0)))
  const text =
    here.length > 1
      ? plan.traces.map((trace, at) => `${trace.label} ${spellAmount(here[at], plan.unit, own)}`).join(' · ')
      : spellAmount(here[0], plan.unit, own)
  return { text, heights: here.map((value) => (value === null ? null : Math.min(value / top.value, 1))) }
})

/** The key to a stack's layers; those that are hard to see beside the others are left to the summary. */
const layers = computed(() =>
  props.plan.stackedTo
    ? props.plan.traces.slice(0, 3).map((trace) => ({
        label: trace.label,
        fill: `color-mix(in srgb, var(--color-${props.plan.resource}) ${trace.weight * 72}%, var(--color-paper))`,
      }))
    : [],
)
const needleShare = computed(() => (props.needle === null ? 0 : shareAt(props.window, props.needle)))
const description = computed(() => {
  const summaries = data.value.series.map((one, at) => {
    const summary = one?.summary
    if (!summary || summary.mean === null) return null
    const say = (value: number | null): string => spellAmount(value, props.plan.unit)
    const label = props.plan.traces[at]?.label ?? ''
    return `${label}: lowest ${say(summary.low)}, mean ${say(summary.mean)}, highest ${say(summary.high)}`
  })
  return `${props.plan.title}. ${summaries.filter(Boolean).join('; ') || 'nothing recorded in this window'}`
})
</script>

<template>
  <section
    class="strip-grid relative h-[92px] border-b border-rule/60"
    :aria-label="plan.title"
    :data-strip="plan.id"
  >
    <header class="min-w-0 pt-2.5 pl-[18px]">
      <h2 class="font-serif text-[15px] leading-tight font-semibold">{{ plan.title }}</h2>
      <p class="text-2xs leading-[14px] text-soft">
        {{ plan.note }}
        <span v-for="layer in layers" :key="layer.label" class="mr-2 inline-block whitespace-nowrap">
          <span
            class="mr-1 inline-block size-2 border border-rule-strong"
            :style="{ background: layer.fill }"
          />{{ layer.label }}
        </span>
      </p>
    </header>
    <div class="flex flex-col justify-between py-1 pr-2 text-right text-2xs text-soft" aria-hidden="true">
      <span
        >{{ spellRound(top, scale) }}<br v-if="scale.unit.length > 1" />
        {{ scale.unit }}</span
      >
      <span>0</span>
    </div>
    <div class="relative my-2" role="img" :aria-label="description">
      <p v-if="data.missing" class="hatched flex h-full items-center justify-center text-soft">
        <span class="bg-paper px-2">{{ data.missing }}</span>
      </p>
      <StripChart v-else :plan="plan" :data="data" :window="window" :top="top" />
      <template v-if="readout">
        <template v-for="(at, index) in readout.heights" :key="index">
          <span
            v-if="at !== null"
            class="pointer-events-none absolute size-[7px] -translate-x-1/2 translate-y-1/2 rounded-full border-[1.5px] bg-paper"
            :style="{
              left: `${needleShare * 100}%`,
              bottom: `${at * 100}%`,
              borderColor: `var(--color-${plan.resource})`,
            }"
          />
        </template>
        <span
          class="pointer-events-none absolute -top-1.5 z-20 bg-paper/85 px-1 text-2xs font-semibold whitespace-nowrap"
          :class="needleShare > 0.72 ? '-translate-x-full -ml-1.5' : 'ml-1.5'"
          :style="{ left: `${needleShare * 100}%`, color: `var(--color-${plan.resource})` }"
          data-readout
          >{{ readout.text }}</span
        >
      </template>
    </div>
    <StripSummary :plan="plan" :data="data" />
  </section>
</template>
