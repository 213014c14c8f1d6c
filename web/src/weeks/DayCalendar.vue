<script setup lang="ts">
import { computed, onMounted, useTemplateRef, watch } from 'vue'
import { RouterLink } from 'vue-router'
import type { Weeks } from '../api/client'
import { spellDay } from '../model/clock'
import { toInstant, toMs } from '../model/instant'
import { currentRamp } from '../strainmap/ramp'
import { usePreferences, useZone } from '../usePreferences'
import { weeksOfDays, type Day } from './calendar'

/** The days of some weeks as small cells of strain: a line a resource, an hour a step. Each leads to its day. */
interface Props {
  weeks: Weeks
}
const props = defineProps<Props>()

const zone = useZone()
const { theme } = usePreferences()
const HOURS = 24
const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const days = computed(() =>
  weeksOfDays(props.weeks.strain, toMs(props.weeks.start), toMs(props.weeks.end), zone.value),
)
const grid = useTemplateRef<HTMLDivElement>('grid')

function paint(): void {
  const ramp = currentRamp(theme.value)
  const shown = days.value.flat().filter((day): day is Day => day !== null)
  grid.value?.querySelectorAll('canvas').forEach((canvas, at) => {
    const day = shown[at]
    const context = canvas.getContext('2d')
    if (!day || !context) return
    canvas.width = HOURS
    canvas.height = day.rows.length
    const image = context.createImageData(HOURS, day.rows.length)
    day.rows.forEach((row, y) => {
      row.forEach((value, x) => {
        const colour = value === null ? undefined : ramp[Math.min(value, 100)]
        if (colour) image.data.set([...colour, 255], (y * HOURS + x) * 4)
      })
    })
    context.putImageData(image, 0, 0)
  })
}
onMounted(paint)
watch([days, theme], paint, { flush: 'post' })

/** A day in words. */
function spell(day: Day): string {
  const parts = props.weeks.strain.flatMap(({ resource }, at) => {
    const known = (day.rows[at] ?? []).filter((value): value is number => value !== null)
    return known.length ? [`${resource} up to ${Math.max(...known)} %`] : []
  })
  return `${spellDay(day.span.start, zone.value)}: ${parts.length ? `strain of ${parts.join(', ')}` : 'nothing recorded'}`
}
const isRecorded = (day: Day): boolean => day.rows.some((row) => row.some((value) => value !== null))
</script>

<template>
  <div ref="grid" class="grid grid-cols-7 gap-1" data-day-calendar>
    <span v-for="name in WEEKDAYS" :key="name" class="text-center text-2xs text-soft">{{ name }}</span>
    <template v-for="(week, row) in days" :key="row">
      <template v-for="(day, place) in week" :key="place">
        <span v-if="!day" />
        <component
          :is="isRecorded(day) ? RouterLink : 'span'"
          v-else
          :to="{
            name: 'workbench',
            params: { id: weeks.host_id },
            query: { from: toInstant(day.span.start), to: toInstant(day.span.end) },
          }"
          class="block border border-rule-strong/70 hover:border-needle"
          :title="spell(day)"
          :aria-label="spell(day)"
          data-day
        >
          <span class="block px-0.5 text-[10px] leading-3 text-soft"
            >{{ day.number }}<template v-if="day.month">&nbsp;{{ day.month }}</template></span
          >
          <span class="hatched block h-6"><canvas class="h-full w-full [image-rendering:pixelated]" /></span>
        </component>
      </template>
    </template>
  </div>
</template>
