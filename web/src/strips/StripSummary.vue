<script setup lang="ts">
import LineFigures from './LineFigures.vue'
import { computed } from 'vue'
import { useMeasures } from '../api/queries'
import { scaleFor, spellAmount, spellNumber } from '../model/amounts'
import { spellDuration } from '../model/clock'
import { spellFixed } from '../model/numbers'
import type { Strip } from '../model/strips'
import { secondsAbove, type StripData } from './chart'

/** The window in figures, or what came since the mark: of what a stack adds up to, or of the strip's heaviest line. */
interface Props {
  strip: Strip
  data: StripData
  /** What is drawn, for the time above a line. */
  shown: StripData
  since: boolean
  labelled: (label: string) => string
  /** The line that stands in front of the others. */
  highlighted: number | null
}
const props = defineProps<Props>()
defineEmits<{ highlight: [line: number | null] }>()

const plan = computed(() => props.strip.plan)
const line = computed(() => (plan.value.stackedTo ? props.data.whole : (props.data.lines[0] ?? null)))
const summary = computed(() => line.value?.summary ?? null)
const { data: measures } = useMeasures()
const perEvent = computed(
  () => measures.value?.find(({ name }) => name === plan.value.traces[0]?.measure)?.per_event ?? false,
)
const isOfLines = computed(() => !plan.value.stackedTo && props.data.lines.length > 1)
const scale = computed(() => scaleFor(plan.value.unit, summary.value?.high ?? 0))

/** There is little room: hours with a decimal, else whole minutes. */
const HOUR_S = 3_600
const spellLong = (seconds: number): string =>
  seconds >= HOUR_S
    ? `${spellFixed(seconds / HOUR_S, 1)} h`
    : spellDuration(seconds >= 60 ? Math.round(seconds / 60) * 60 : seconds)

/** What a rate amounts to over the window: bytes, whatever it is drawn in; of a share of time, the time. */
const total = computed(() => {
  const amount = summary.value?.total
  if (amount === null || amount === undefined) return null
  if (plan.value.unit === 'share') return spellLong(amount)
  return spellAmount(amount, plan.value.unit === '1/s' ? 'count' : 'bytes')
})
const above = computed(() => {
  const drawn = plan.value.stackedTo ? props.shown.whole : props.shown.lines[0]
  if (props.strip.line === null || !drawn) return null
  return spellLong(secondsAbove(props.shown, drawn.values, props.strip.line))
})
/** Over long windows the figures are of minutes or hours; all are exact but the percentile, and that is said. */
const rounded = computed(() => {
  const length = summary.value?.bin_s
  return length ? `of the means of ${spellDuration(length)}; the window is rounded to such` : undefined
})
const ROWS_PX = 12
interface Row {
  name: string
  value: string
  about?: string | undefined
}
const rows = computed<Row[]>(() => {
  const seen = summary.value
  if (!seen) return []
  const every: (Row & { keep: number })[] = [
    { name: 'low', value: spellNumber(seen.low, scale.value), keep: 4 },
    { name: 'mean', value: spellNumber(seen.mean, scale.value), keep: 1 },
    {
      name: 'p95',
      value: spellNumber(seen.p95, scale.value),
      about: seen.p95 === null ? 'not known of a sum from its parts' : rounded.value,
      keep: 3,
    },
    { name: 'high', value: spellNumber(seen.high, scale.value), keep: 2 },
    ...(above.value === null
      ? []
      : [
          {
            name: 'above',
            value: above.value,
            about:
              props.shown.binMs === null
                ? 'time above the line'
                : 'time above the line, by the means of bins',
            keep: 0,
          },
        ]),
    ...(total.value === null ? [] : [{ name: 'total', value: total.value, keep: 5 }]),
    {
      name: perEvent.value ? 'active' : 'coverage',
      about: perEvent.value
        ? 'share of the time in which something happened: without requests there is no wait'
        : 'share of the time that was observed',
      value: `${spellFixed(seen.coverage * 100, seen.coverage > 0.9995 ? 0 : 1)} %`,
      keep: 6,
    },
  ]
  // A low strip keeps what matters most, in the usual order.
  const room = Math.max(Math.floor((props.strip.height - 20) / ROWS_PX), 1)
  const kept = [...every].sort((a, b) => a.keep - b.keep).slice(0, room)
  return every.filter((row) => kept.includes(row))
})
const approximate = (row: Row): boolean =>
  (row.name === 'p95' && rounded.value !== undefined) || (row.name === 'above' && props.shown.binMs !== null)
</script>

<template>
  <div
    class="overflow-hidden px-3 py-1 text-2xs leading-[12px]"
    role="group"
    :aria-label="`${plan.title}, ${since ? 'since the mark' : 'this window'} in figures`"
  >
    <LineFigures
      v-if="isOfLines && strip.line === null"
      :strip="strip"
      :data="data"
      :labelled="labelled"
      :highlighted="highlighted"
      @highlight="$emit('highlight', $event)"
    />
    <p v-if="isOfLines && strip.line === null && since" class="text-soft italic">since mark</p>
    <template v-if="!isOfLines || strip.line !== null">
      <p class="flex h-3 justify-between gap-1 text-soft">
        <span class="truncate italic">{{ since ? 'since mark' : '' }}</span><span class="whitespace-nowrap">{{
          scale.unit
        }}</span>
      </p>
      <dl>
        <div v-for="row in rows" :key="row.name" class="flex justify-between whitespace-nowrap">
          <dt class="text-soft" :title="row.about">{{ row.name }}{{ approximate(row) ? ' ≈' : '' }}</dt>
          <dd :data-summary="row.name" :class="['coverage', 'active'].includes(row.name) ? 'text-soft' : ''">
            {{ row.value }}
          </dd>
        </div>
      </dl>
    </template>
  </div>
</template>
