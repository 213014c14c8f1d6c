<script setup lang="ts">
import { computed } from 'vue'
import type { Usual } from '../api/client'
import { spellAmount } from '../model/amounts'
import { toMs } from '../model/instant'
import type { Span } from '../model/span'
import type { StripPlan } from '../model/strips'
import { heightOf } from './chart'

/** What is usual for the hour, as a band behind a strip, and how much of the window lies outside it. */
interface Props {
  plan: StripPlan
  usual: Usual
  /** Of what the band is, where the strip has several lines. */
  of: string
  window: Span
  top: number
  log: boolean
}
const props = defineProps<Props>()
const WIDTH = 1000
const HOUR_MS = 3_600_000
const y = (value: number): string => (100 - heightOf(value, props.top, props.log) * 100).toFixed(2)
const bands = computed(() => {
  const { start, end } = props.window
  const first = toMs(props.usual.hours_from)
  const across = (at: number): string =>
    (((Math.min(Math.max(at, start), end) - start) / (end - start)) * WIDTH).toFixed(1)
  return props.usual.high.flatMap((high, hour) => {
    const [low, middle] = [props.usual.low[hour] ?? null, props.usual.middle[hour] ?? null]
    const [from, to] = [first + hour * HOUR_MS, first + (hour + 1) * HOUR_MS]
    if (high === null || low === null || middle === null || to <= start || from >= end) return []
    return [
      {
        hour,
        area: `M${across(from)},${y(high)}H${across(to)}V${y(low)}H${across(from)}Z`,
        line: `M${across(from)},${y(middle)}H${across(to)}`,
      },
    ]
  })
})
const rests = computed(() => {
  const { weeks, days } = props.usual
  return weeks ? `${weeks} week${weeks === 1 ? '' : 's'}` : `${days} other days`
})
const says = computed(() => {
  const { outside, missing } = props.usual
  const of = props.of ? `, ${props.of}` : ''
  if (missing !== null) return `usual${of}: too little is known of the past`
  const middles = props.usual.middle.filter((value): value is number => value !== null)
  const share = outside === null ? '' : `, ${Math.round(outside * 100)} % of the window outside`
  const around = middles.length ? ` ${spellAmount(Math.max(...middles), props.plan.unit)} at most` : ''
  return `usual${of}:${around}${share}, learnt from ${rests.value}`
})
</script>

<template>
  <div class="pointer-events-none absolute inset-0" data-usual>
    <svg
      :viewBox="`0 0 ${WIDTH} 100`"
      preserveAspectRatio="none"
      class="h-full w-full"
      role="img"
      :aria-label="says"
    >
      <g v-for="band in bands" :key="band.hour">
        <path :d="band.area" fill="var(--color-soft)" fill-opacity="0.16" />
        <path
          :d="band.line"
          fill="none"
          stroke="var(--color-soft)"
          stroke-opacity="0.5"
          vector-effect="non-scaling-stroke"
        />
      </g>
    </svg>
    <span class="absolute bottom-0 left-1 z-10 bg-paper/85 px-1 text-[10px] leading-3 text-soft">{{
      says
    }}</span>
  </div>
</template>
