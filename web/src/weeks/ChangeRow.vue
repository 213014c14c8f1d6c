<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import type { SlowChange, Weeks } from '../api/client'
import { roundTop, scaleFor, spellNumber } from '../model/amounts'
import { toInstant, toMs } from '../model/instant'
import { unitOf } from '../model/layouts'
import { useZone } from '../usePreferences'
import { thinned } from './calendar'
import { changeWords, timesWords, whoChanged } from './words'

/** A measure over weeks: its hours as a thin line, what became of it as a heavy one, and the same in words. */
interface Props {
  item: SlowChange
  weeks: Weeks
}
const props = defineProps<Props>()

const zone = useZone()
const WIDTH = 360
const HEIGHT = 44
const MOST_POINTS = 240
const HOUR_MS = 3_600_000
const unit = computed(() => unitOf(props.item.measure, props.item.unit))
const values = computed(() => thinned(props.item.hours, MOST_POINTS))
const most = computed(() =>
  Math.max(
    ...values.value.map((value) => value ?? 0),
    ...props.item.stretches.map(({ first, last }) => Math.max(first, last)),
    1e-12,
  ),
)
const least = computed(() =>
  Math.min(
    ...values.value.map((value) => value ?? Infinity),
    ...props.item.stretches.map(({ first, last }) => Math.min(first, last)),
  ),
)
/** What went up many times over shows its beginning only by the logarithm. */
const isLog = computed(() => least.value > 0 && most.value / least.value > 12)
const top = computed(() =>
  isLog.value ? most.value * 1.15 : roundTop(most.value, scaleFor(unit.value, most.value)),
)
const bottom = computed(() => (isLog.value ? least.value / 1.15 : 0))
const y = (value: number): number => {
  const share = isLog.value
    ? Math.log(Math.max(value, bottom.value) / bottom.value) / Math.log(top.value / bottom.value)
    : value / top.value
  return HEIGHT - 1 - Math.min(Math.max(share, 0), 1) * (HEIGHT - 2)
}
const start = computed(() => toMs(props.weeks.hours_from))
const length = computed(() => Math.max(props.item.hours.length * HOUR_MS, 1))
const x = (ms: number): number => ((ms - start.value) / length.value) * WIDTH
const line = computed(() => {
  let isOpen = false
  let path = ''
  values.value.forEach((value, at) => {
    if (value === null) {
      isOpen = false
      return
    }
    const across = ((at + 0.5) / values.value.length) * WIDTH
    path += `${isOpen ? 'L' : 'M'}${across.toFixed(1)},${y(value).toFixed(1)}`
    isOpen = true
  })
  return path
})
const steps = computed(() =>
  props.item.stretches.map((stretch) => {
    const [from, to] = [x(toMs(stretch.start)), x(toMs(stretch.end))]
    return `M${from.toFixed(1)},${y(stretch.first).toFixed(1)}L${to.toFixed(1)},${y(stretch.last).toFixed(1)}`
  }),
)
const since = computed(() => props.item.stretches.slice(1).map((stretch) => x(toMs(stretch.start))))
const who = computed(() => whoChanged(props.item))
const scale = computed(() => scaleFor(unit.value, most.value))
const strip = computed(() => {
  const device = props.item.device ?? props.item.devices[0]
  return device ? `${props.item.measure}@${device}` : props.item.measure
})
</script>

<template>
  <li
    class="grid grid-cols-[190px_minmax(0,1fr)_34px] gap-x-3 border-b border-rule/70 py-1.5"
    data-slow-change
  >
    <div class="min-w-0">
      <h3 class="truncate font-semibold" :title="item.title">
        <RouterLink
          class="hover:text-needle"
          :to="{
            name: 'workbench',
            params: { id: weeks.host_id },
            query: { strips: strip, from: toInstant(start), to: toInstant(start + length) },
          }"
          >{{ item.title }}</RouterLink
        >
      </h3>
      <p class="truncate text-2xs text-soft" :title="item.devices.join(', ')">{{ who || 'the machine' }}</p>
      <p class="text-2xs">{{ timesWords(item) }}</p>
    </div>
    <div class="min-w-0">
      <svg
        :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
        preserveAspectRatio="none"
        class="h-11 w-full border-b border-rule-strong"
        role="img"
        :aria-label="`${item.title}: ${changeWords(weeks, item, zone)}`"
      >
        <path
          v-for="(at, place) in since"
          :key="place"
          :d="`M${at.toFixed(1)},0V${HEIGHT}`"
          stroke="var(--color-needle)"
          stroke-dasharray="2 3"
          vector-effect="non-scaling-stroke"
        />
        <path
          :d="line"
          fill="none"
          :stroke="`var(--color-${item.resource})`"
          stroke-opacity="0.45"
          vector-effect="non-scaling-stroke"
        />
        <path
          v-for="(step, place) in steps"
          :key="`step ${place}`"
          :d="step"
          fill="none"
          stroke="var(--color-ink)"
          stroke-width="1.8"
          vector-effect="non-scaling-stroke"
        />
      </svg>
      <p class="truncate text-2xs" :title="changeWords(weeks, item, zone)">
        {{ changeWords(weeks, item, zone) }}
      </p>
    </div>
    <p class="text-right text-[10px] leading-3 text-soft" aria-hidden="true">
      {{ spellNumber(top, scale) }}<br />{{ scale.unit }}<template v-if="isLog"><br />log</template>
    </p>
  </li>
</template>
