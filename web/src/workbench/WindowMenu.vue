<script setup lang="ts">
import { computed, ref } from 'vue'
import { fits, WIDTHS_S } from '../model/averaging'
import { clockChange, spellDuration, spellInstant, spellOffset, spellWindow, spellZone } from '../model/clock'
import { lengthOf } from '../model/span'
import { parseTyped } from '../model/typedTime'
import HangingPanel from '../ui/HangingPanel.vue'
import { useZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'
import RecordedDays from './RecordedDays.vue'

/** The window in words, and every way to set it: a length, or from when until when. */
const bench = useWorkbench()
const zone = useZone()

const [MINUTE, HOUR, DAY] = [60_000, 3_600_000, 86_400_000]
const LENGTHS = [
  { label: '5 min', ms: 5 * MINUTE },
  { label: '15 min', ms: 15 * MINUTE },
  { label: '1 h', ms: HOUR },
  { label: '6 h', ms: 6 * HOUR },
  { label: 'a day', ms: DAY },
  { label: 'a week', ms: 7 * DAY },
  { label: 'a month', ms: 31 * DAY },
]
const where = ref<'end' | 'needle'>('end')
const [from, to] = [ref(''), ref('')]
const extent = computed(() => bench.extent ?? { start: 0, end: 1 })
/** What was typed; null while the field is empty, which leaves that end where it is. */
const typed = (text: string): number | null =>
  text.trim() ? parseTyped(text, extent.value.end, zone.value, bench.window?.end ?? extent.value.end) : null
const start = computed(() => (from.value.trim() ? typed(from.value) : (bench.window?.start ?? null)))
const end = computed(() => (to.value.trim() ? typed(to.value) : (bench.window?.end ?? null)))
const problem = computed(() => {
  if (!from.value.trim() && !to.value.trim()) return null
  if (start.value === null) return `“${from.value}” is no time, such as 14:05, 13 Nov 6:00 or -2h`
  if (end.value === null) return `“${to.value}” is no time, such as 14:05, 13 Nov 6:00 or -2h`
  if (start.value >= end.value)
    return `${spellInstant(start.value, zone.value)} is not before ${spellInstant(end.value, zone.value)}`
  return null
})

const isTooFine = computed(
  () => bench.averaging !== null && bench.window !== null && !fits(bench.averaging, bench.window),
)
/** By which clock, and where it is put forward or back. */
const clock = computed(() => {
  const { start, end: last } = extent.value
  const first = `${spellZone(zone.value)}, ${spellOffset(start, zone.value)}`
  const change = clockChange(start, last, zone.value)
  return zone.value === 'UTC'
    ? 'UTC'
    : change === null
      ? first
      : `${first}, from ${spellInstant(change, zone.value)} on ${spellOffset(change, zone.value)}`
})
const spelled = computed(() => {
  const { window } = bench
  return window
    ? {
        window: spellWindow(window.start, window.end, zone.value),
        length: spellDuration(lengthOf(window) / 1000),
      }
    : { window: '', length: '' }
})
/** What the button says has to be part of its name. */
const spoken = computed(() => {
  const means = bench.averaging
  const more = means !== null && !isTooFine.value ? `, means of ${spellDuration(means)}` : ''
  return `${spelled.value.window} ${spelled.value.length}${more}`
})

function look(ms: number): void {
  const { needle } = bench
  if (where.value === 'needle' && needle !== null)
    bench.look({ start: needle - ms / 2, end: needle + ms / 2 })
  else bench.look({ start: Math.max(extent.value.end - ms, extent.value.start), end: extent.value.end })
}
function go(close: () => void): void {
  if (problem.value !== null || start.value === null || end.value === null) return
  bench.look({ start: start.value, end: end.value })
  from.value = to.value = ''
  close()
}
</script>

<template>
  <HangingPanel
    v-if="bench.window"
    :label="`${spoken}: choose the window`"
    title="Choose the window"
    class="whitespace-nowrap hover:text-ink"
    data-window-text
  >
    <template #button>
      <span class="text-ink">{{ spelled.window }}</span> {{ spelled.length
      }}<template v-if="bench.averaging !== null && !isTooFine"
        >, means of {{ spellDuration(bench.averaging) }}</template
      >
    </template>
    <template #default="{ close }">
      <div class="w-72 space-y-2.5" data-window-menu>
        <div class="flex flex-wrap gap-x-3 gap-y-1">
          <button
            v-for="length in LENGTHS"
            :key="length.label"
            type="button"
            class="underline hover:text-needle disabled:no-underline disabled:opacity-40"
            :disabled="length.ms > lengthOf(extent)"
            @click="(look(length.ms), close())"
          >
            {{ length.label }}
          </button>
          <button type="button" class="underline hover:text-needle" @click="(bench.look(extent), close())">
            whole
          </button>
        </div>
        <div class="flex gap-3 text-2xs text-soft" role="radiogroup" aria-label="Where the window lies">
          <label class="flex items-center gap-1"
            ><input v-model="where" type="radio" value="end" class="accent-ink" />up to the end</label
          >
          <label class="flex items-center gap-1"
            ><input
              v-model="where"
              type="radio"
              value="needle"
              class="accent-ink"
              :disabled="!bench.hasNeedle"
            />around the needle</label
          >
        </div>
        <form class="space-y-1.5 border-t border-rule pt-2" @submit.prevent="go(close)">
          <label class="flex items-center gap-2"
            ><span class="w-10 text-soft">from</span>
            <input
              v-model="from"
              class="min-w-0 grow border-b border-rule-strong bg-transparent py-0.5"
              :placeholder="spellInstant(bench.window.start, zone)"
          /></label>
          <label class="flex items-center gap-2"
            ><span class="w-10 text-soft">to</span>
            <input
              v-model="to"
              class="min-w-0 grow border-b border-rule-strong bg-transparent py-0.5"
              :placeholder="spellInstant(bench.window.end, zone)"
          /></label>
          <p v-if="problem" class="text-2xs text-needle" role="alert">{{ problem }}</p>
          <button
            type="submit"
            class="underline hover:text-needle disabled:opacity-40"
            :disabled="problem !== null || (!from.trim() && !to.trim())"
          >
            look there
          </button>
        </form>
        <RecordedDays @chosen="close()" />
        <label class="flex items-baseline gap-2 border-t border-rule pt-2">
          <span class="text-soft">means over</span>
          <select v-model="bench.averaging" class="border-b border-rule-strong bg-leaf" data-averaging>
            <option :value="null">a pixel (automatic)</option>
            <option
              v-for="width in WIDTHS_S"
              :key="width"
              :value="width"
              :disabled="!fits(width, bench.window)"
            >
              {{ spellDuration(width) }}
            </option>
          </select>
        </label>
        <p v-if="isTooFine" class="text-2xs text-needle" role="status">
          {{ spellDuration(bench.averaging ?? 0) }} would be too many points for this window: each pixel has
          its own mean.
        </p>
        <p class="text-2xs text-soft">
          The archive: {{ spellWindow(extent.start, extent.end, zone) }}, {{ clock }}
        </p>
      </div>
    </template>
  </HangingPanel>
</template>
