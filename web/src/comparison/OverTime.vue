<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue'
import { useElementSize } from '@vueuse/core'
import { RouterLink } from 'vue-router'
import type { Comparison, Difference } from '../api/client'
import { useSeriesSet } from '../api/queries'
import { roundTop, scaleFor, spellAmount, spellRound } from '../model/amounts'
import { spellTime } from '../model/clock'
import { toInstant, toMs } from '../model/instant'
import { unitOf } from '../model/layouts'
import { useZone } from '../usePreferences'
import { linePath, rowTitle, stripOfRow } from './words'

/** One measure over time: the window in ink, the reference pale behind it, both from their own beginning. */
const props = defineProps<{ comparison: Comparison; item: Difference }>()
const HEIGHT = 92
const zone = useZone()
const box = useTemplateRef<HTMLDivElement>('box')
const { width } = useElementSize(box)
const stepped = computed(() => Math.floor(width.value / 20) * 20)
const spanOf = (side: Comparison['window']): { start: number; end: number } => ({
  start: toMs(side.start),
  end: toMs(side.end),
})
const span = computed(() => spanOf(props.comparison.window))
const before = computed(() => spanOf(props.comparison.reference))
const names = computed(() => [stripOfRow(props.item)])
const otherNames = computed(() => [
  stripOfRow({ ...props.item, device: props.item.reference_device ?? props.item.device }),
])
const { data: now, error } = useSeriesSet(ref(props.comparison.window.archive), span, stepped, names)
const { data: then } = useSeriesSet(ref(props.comparison.reference.archive), before, stepped, otherNames)
const unit = computed(() => unitOf(props.item.measure, props.item.unit))
const scale = computed(() => scaleFor(unit.value, Math.max(props.item.window.p99, props.item.reference.p99)))
const top = computed(() =>
  roundTop(Math.max(props.item.window.p99, props.item.reference.p99) * 1.1, scale.value),
)
function pathOf(set: typeof now.value, { start, end }: { start: number; end: number }): string {
  const found = set?.series[0]
  if (!set || !found || found.missing) return ''
  return linePath(
    set.times_ms[found.times] ?? [],
    found.mean,
    { start, end, top: top.value },
    { width: Math.max(stepped.value, 1), height: HEIGHT },
  )
}
const TICKS = [0.125, 0.25, 0.375, 0.5, 0.625, 0.75, 0.875]
const ticks = computed(() =>
  TICKS.map((share) => ({
    share,
    text: spellTime(span.value.start + share * (span.value.end - span.value.start), zone.value),
  })),
)
</script>

<template>
  <section
    class="border-t border-rule-strong bg-leaf px-6 pt-2 pb-1"
    :aria-label="`${rowTitle(item)} over time`"
    data-over-time
  >
    <div class="flex items-baseline gap-4">
      <h2 class="font-serif text-lg font-semibold">{{ rowTitle(item) }}</h2>
      <p class="truncate text-2xs text-soft">
        window in ink, reference pale, both from their own beginning; 0 to {{ spellRound(top, scale) }}
        {{ scale.unit }}<template v-if="error">: {{ error.message }}</template>
      </p>
      <RouterLink
        class="ml-auto text-2xs whitespace-nowrap underline hover:text-needle"
        :to="{
          name: 'workbench',
          params: { id: comparison.window.archive },
          query: { from: toInstant(span.start), to: toInstant(span.end), strips: stripOfRow(item) },
        }"
        >show on strips</RouterLink
      >
    </div>
    <div ref="box" class="relative mt-1">
      <svg
        :viewBox="`0 0 ${Math.max(stepped, 1)} ${HEIGHT}`"
        class="h-[92px] w-full"
        preserveAspectRatio="none"
        role="img"
        :aria-label="`${rowTitle(item)}: window around ${spellAmount(item.window.median, unit)}, reference around ${spellAmount(item.reference.median, unit)}`"
      >
        <path
          :d="pathOf(then, before)"
          fill="none"
          stroke="var(--color-rule-strong)"
          stroke-width="1.4"
          vector-effect="non-scaling-stroke"
        />
        <path
          :d="pathOf(now, span)"
          fill="none"
          :stroke="`var(--color-${item.resource})`"
          stroke-width="1.3"
          vector-effect="non-scaling-stroke"
          data-window-line
        />
        <line
          x1="0"
          :x2="Math.max(stepped, 1)"
          :y1="HEIGHT"
          :y2="HEIGHT"
          stroke="var(--color-rule-strong)"
          vector-effect="non-scaling-stroke"
        />
      </svg>
      <span class="absolute right-0 bottom-0.5 bg-leaf/80 px-1 text-2xs text-soft"
        >reference, median {{ spellAmount(item.reference.median, unit) }}</span
      >
      <span
        class="absolute right-0 bottom-4 bg-leaf/80 px-1 text-2xs font-semibold"
        :style="{ color: `var(--color-${item.resource})` }"
        >window, median {{ spellAmount(item.window.median, unit) }}</span
      >
      <span
        v-for="tick in ticks"
        :key="tick.share"
        class="absolute top-full -translate-x-1/2 text-2xs text-soft"
        :style="{ left: `${tick.share * 100}%` }"
        >{{ tick.text }}</span
      >
    </div>
    <div class="h-4" />
  </section>
</template>
