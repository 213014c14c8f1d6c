<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useArchives } from '../api/queries'
import { monthDays, monthOf, withoutGaps, type CalendarDay } from '../model/calendar'
import { toMs } from '../model/instant'
import { intersection, type Span } from '../model/span'
import { spellFixed } from '../model/numbers'
import { useZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'
import { placeQuery } from '../model/link'
import { useSession } from './session'

/** A calendar of what was recorded of this host, month by month: a day leads to its ticks, also in another archive. */
const emit = defineEmits<{ chosen: [] }>()
const bench = useWorkbench()
const zone = useZone()
const router = useRouter()
const { id, archive, judgement } = useSession()
const { data: archives } = useArchives()

const WEEKDAYS = ['Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su']
const extent = computed(() => bench.extent ?? { start: 0, end: 1 })
const moved = ref(0)
const month = computed(() => monthOf(bench.window?.end ?? extent.value.end, zone.value, moved.value))
const title = computed(() =>
  new Intl.DateTimeFormat('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' }).format(
    Date.UTC(month.value.year, month.value.month, 1),
  ),
)
const own = computed(() => withoutGaps(extent.value, judgement.gapSpans.value ?? []))
/** What else there is of this host; of its gaps nothing is known here. */
const others = computed(() =>
  (archives.value ?? []).flatMap((other) =>
    other.host.id === archive.value?.host.id && other.id !== id.value && other.start && other.end
      ? [{ id: other.id, name: other.name, span: { start: toMs(other.start), end: toMs(other.end) } }]
      : [],
  ),
)
const weeks = computed(() => monthDays(month.value, own.value, zone.value))
const touches = (span: Span, day: CalendarDay): boolean => intersection([span], [day.span]).length > 0
const otherOf = (day: CalendarDay): (typeof others.value)[0] | undefined =>
  others.value.find(({ span }) => touches(span, day))
const isShown = (day: CalendarDay): boolean => bench.window !== null && touches(bench.window, day)

function about(day: CalendarDay): string {
  const date = `${day.number} ${title.value}`
  if (day.share > 0 && judgement.gapSpans.value === null) return `${date}: recorded, its gaps not known yet`
  if (day.share > 0)
    return `${date}: ${spellFixed(Math.min(day.share * 100, day.share < 1 ? 99.9 : 100), day.share < 1 ? 1 : 0)} % recorded`
  const other = otherOf(day)
  return other ? `${date}: in the archive ${other.name}` : `${date}: nothing recorded`
}
function look(day: CalendarDay): void {
  if (day.share > 0) bench.look(intersection([day.span], [extent.value])[0] ?? day.span)
  else {
    const other = otherOf(day)
    if (!other) return
    const window = intersection([day.span], [other.span])[0] ?? day.span
    void router.push({ name: 'workbench', params: { id: other.id }, query: placeQuery(window, null) })
  }
  emit('chosen')
}
</script>

<template>
  <div class="border-t border-rule pt-2" data-calendar>
    <div class="mb-1 flex items-baseline justify-between">
      <button type="button" class="px-1 hover:text-needle" aria-label="A month earlier" @click="moved -= 1">
        ‹
      </button>
      <span class="font-serif italic" aria-live="polite">{{ title }}</span>
      <button type="button" class="px-1 hover:text-needle" aria-label="A month later" @click="moved += 1">
        ›
      </button>
    </div>
    <table class="w-full table-fixed text-center text-2xs">
      <thead>
        <tr class="text-soft">
          <th v-for="day in WEEKDAYS" :key="day" scope="col" class="font-normal">{{ day }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(week, at) in weeks" :key="at">
          <td v-for="(day, place) in week" :key="place" class="p-px">
            <button
              v-if="day"
              type="button"
              class="relative block w-full border py-0.5 disabled:text-soft disabled:opacity-50"
              :class="isShown(day) ? 'border-needle' : 'border-transparent'"
              :disabled="day.share === 0 && !otherOf(day)"
              :title="about(day)"
              :aria-label="about(day)"
              :aria-pressed="isShown(day)"
              @click="look(day)"
            >
              {{ day.number }}
              <span
                v-if="day.share > 0"
                class="absolute bottom-0 left-0 h-[3px] bg-processor"
                :style="{ width: `${Math.max(day.share * 100, 8)}%` }"
              />
              <span
                v-else-if="otherOf(day)"
                class="absolute inset-x-0 bottom-0 border-b-[3px] border-dotted border-rule-strong"
              />
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
