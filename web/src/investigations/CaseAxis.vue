<script setup lang="ts">
import { computed } from 'vue'
import type { CaseEvent, CaseTimeline } from '../api/client'
import { axisMoments, spellAxis } from '../model/clock'
import { toMs } from '../model/instant'
import { shareAt } from '../model/span'
import { useZone } from '../usePreferences'
import { useTimes } from '../useTimes'
import { lanesOf } from './lanes'

/** Exhibits, findings, notes and changes on one axis. */
const props = defineProps<{ timeline: CaseTimeline }>()
const zone = useZone()
const times = useTimes()
const span = computed(() => ({ start: toMs(props.timeline.start), end: toMs(props.timeline.end) }))
const left = (at: string): number => Math.min(Math.max(shareAt(span.value, toMs(at)), 0), 1) * 100
const exhibits = computed(() => lanesOf(props.timeline.events.filter(({ what }) => what === 'exhibit')))
const findings = computed(() => lanesOf(props.timeline.events.filter(({ what }) => what === 'finding')))
const points = computed(() =>
  props.timeline.events.filter(({ what }) => what === 'note' || what === 'change'),
)
const said = (event: CaseEvent): string =>
  `${event.number ? `exhibit ${event.number}: ` : `${event.what}: `}${event.text}${event.host ? `, ${event.host}` : ''}, ${times.range(toMs(event.start), toMs(event.end))}`
const LABELS = 4
const moments = computed(() => {
  const { start, end } = span.value
  const every = axisMoments(start, end, LABELS, zone.value)
  const step = (every[1] ?? end) - (every[0] ?? start)
  return every.map((at) => ({
    at,
    left: shareAt(span.value, at) * 100,
    label: spellAxis(at, step, zone.value),
  }))
})
const width = (event: CaseEvent): number => Math.max(left(event.end) - left(event.start), 0.6)
</script>

<template>
  <section aria-label="On one axis" data-case-axis>
    <h2 class="font-serif font-semibold">On one axis</h2>
    <div v-for="(lane, at) in findings" :key="`finding ${at}`" class="relative h-2">
      <span
        v-for="event in lane"
        :key="event.id"
        class="absolute h-1 rounded-[1px]"
        :style="{
          left: `${left(event.start)}%`,
          width: `${width(event)}%`,
          background: `var(--color-${event.resource ?? 'soft'})`,
        }"
        role="img"
        :aria-label="said(event)"
        :title="said(event)"
      />
    </div>
    <div class="border-t border-rule-strong" />
    <div v-for="(lane, at) in exhibits" :key="`exhibit ${at}`" class="relative h-[15px]">
      <a
        v-for="event in lane"
        :key="event.id"
        :href="`#exhibit-${event.number}`"
        class="absolute h-[13px] border-l border-needle bg-needle/10 pl-0.5 text-[10px] leading-[13px] text-needle"
        :style="{ left: `${left(event.start)}%`, width: `${width(event)}%` }"
        :aria-label="said(event)"
        :title="said(event)"
        >{{ event.number }}</a
      >
    </div>
    <div v-if="points.length" class="relative h-4">
      <span
        v-for="event in points"
        :key="event.id"
        class="absolute -translate-x-1/2 text-[10px] leading-4"
        :class="event.what === 'change' ? 'text-ink' : 'text-soft'"
        :style="{ left: `${left(event.start)}%` }"
        role="img"
        :aria-label="said(event)"
        :title="said(event)"
        >{{ event.what === 'change' ? '◆' : '•' }}</span
      >
    </div>
    <div class="relative h-4 text-2xs text-soft" aria-hidden="true">
      <span
        v-for="moment in moments"
        :key="moment.at"
        class="absolute -translate-x-1/2 whitespace-nowrap"
        :style="{ left: `${Math.min(Math.max(moment.left, 6), 94)}%` }"
        >{{ moment.label }}</span
      >
    </div>
    <p v-for="trouble in timeline.troubles" :key="trouble" class="text-2xs text-needle">{{ trouble }}</p>
  </section>
</template>
