<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { useArchives } from '../api/queries'
import { spellWindow } from '../model/clock'
import { toInstant, toMs } from '../model/instant'
import { lengthOf } from '../model/span'
import HangingPanel from '../ui/HangingPanel.vue'
import { useZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { referenceSpan, type Against } from './against'
import { referencesOf } from './references'

/** What the window is held against: drawn behind the strips, and said in words on a page of its own. */
const bench = useWorkbench()
const zone = useZone()
const { id } = useSession()
const { data: archives } = useArchives()
const choices = computed(() =>
  bench.window && bench.extent
    ? referencesOf(bench.window, bench.extent).map((item) => ({
        ...item,
        shift: item.span.start - (bench.window?.start ?? 0),
      }))
    : [],
)
const others = computed(() =>
  (archives.value ?? []).filter((item) => item.id !== id.value && item.start !== null),
)
const spoken = computed(() => {
  if (!bench.against || !bench.window) return 'compare'
  const { archive, shift } = bench.against
  if (archive !== null)
    return `against ${archives.value?.find((item) => item.id === archive)?.host.name ?? 'another'}`
  const known = choices.value.find((item) => item.shift === shift)
  const { start, end } = referenceSpan(bench.window, bench.against)
  return `against ${known?.label ?? spellWindow(start, end, zone.value)}`
})
const query = computed(() => {
  if (!bench.window) return {}
  const own = { from: toInstant(bench.window.start), to: toInstant(bench.window.end) }
  if (!bench.against) return own
  const { start, end } = referenceSpan(bench.window, bench.against)
  return {
    ...own,
    ...(bench.against.archive === null ? {} : { with: bench.against.archive }),
    with_from: toInstant(start),
    with_to: toInstant(end),
  }
})
/** Seconds that the reference was moved by hand, from where it was chosen to begin. */
const shiftBy = ref(0)
let moved: Against | null = null
// Another reference begins where it was chosen to.
watch(
  () => bench.against,
  (now) => {
    if (now !== moved) shiftBy.value = 0
  },
)
function shift(event: Event): void {
  const seconds = event.target instanceof HTMLInputElement ? event.target.valueAsNumber : NaN
  if (!bench.against || !Number.isFinite(seconds)) return
  moved = { ...bench.against, shift: bench.against.shift + (seconds - shiftBy.value) * 1000 }
  bench.against = moved
  shiftBy.value = seconds
}
/** Before and after a change: the window begins at the needle, the reference ends there. */
function aroundNeedle(): void {
  if (bench.needle === null || !bench.window || !bench.extent) return
  const length = Math.min(
    lengthOf(bench.window),
    bench.extent.end - bench.needle,
    bench.needle - bench.extent.start,
  )
  if (length <= 0) return
  bench.look({ start: bench.needle, end: bench.needle + length })
  bench.against = { archive: null, shift: -length }
}
function other(event: Event): void {
  if (!(event.target instanceof HTMLSelectElement) || !bench.window) return
  const chosen = others.value.find((item) => item.id === (event.target as HTMLSelectElement).value)
  // From their beginnings on: two recordings of the same work rarely began at the same time of day.
  if (chosen?.start)
    bench.against = {
      archive: chosen.id,
      shift: toMs(chosen.start) - (bench.extent?.start ?? bench.window.start),
    }
}
</script>

<template>
  <HangingPanel
    v-if="bench.window"
    :label="spoken"
    title="What the window is held against"
    class="max-w-56 truncate whitespace-nowrap hover:text-ink print:hidden"
    :class="bench.against ? 'text-ink' : ''"
    data-compare-menu
  >
    <template #button>{{ spoken }} ▾</template>
    <template #default="{ close }">
      <div class="w-80 space-y-2 text-xs">
        <p class="text-2xs text-soft">Behind the strips, pale, stands</p>
        <ul class="space-y-0.5">
          <li>
            <button
              type="button"
              class="hover:text-needle"
              :aria-pressed="!bench.against"
              :class="bench.against ? '' : 'font-semibold'"
              @click="bench.against = null"
            >
              nothing
            </button>
          </li>
          <li v-for="choice in choices" :key="choice.id">
            <button
              type="button"
              class="text-left hover:text-needle"
              :aria-pressed="bench.against?.archive === null && bench.against.shift === choice.shift"
              :class="
                bench.against?.archive === null && bench.against.shift === choice.shift ? 'font-semibold' : ''
              "
              @click="bench.against = { archive: null, shift: choice.shift }"
            >
              {{ choice.label }}
              <span class="text-soft">{{ spellWindow(choice.span.start, choice.span.end, zone) }}</span>
            </button>
          </li>
        </ul>
        <p v-if="bench.needle !== null">
          <button type="button" class="text-left hover:text-needle" data-around-needle @click="aroundNeedle">
            before the needle <span class="text-soft">the window begins at the needle then</span>
          </button>
        </p>
        <p class="text-2xs text-soft">Any other: Alt and drag on the map, from where it begins.</p>
        <label v-if="bench.against" class="flex items-baseline gap-2">
          <span class="whitespace-nowrap text-soft">begins later by</span>
          <input
            :value="shiftBy"
            type="number"
            step="any"
            class="w-20 border-b border-rule-strong bg-leaf py-0.5 text-right"
            aria-label="Seconds by which the reference begins later"
            data-shift
            @change="shift"
          />
          s
        </label>
        <label v-if="others.length" class="flex items-baseline gap-2">
          <span class="whitespace-nowrap text-soft">another archive</span>
          <select
            :value="bench.against?.archive ?? ''"
            class="min-w-0 border-b border-rule-strong bg-leaf py-0.5"
            @change="other"
          >
            <option value="" disabled>choose one</option>
            <option v-for="item in others" :key="item.id" :value="item.id">
              {{ item.host.name }} ▸ {{ item.name }}
            </option>
          </select>
        </label>
        <label class="flex items-baseline gap-2 border-t border-rule pt-2">
          <input v-model="bench.usual" type="checkbox" data-usual-choice />
          <span
            >what is usual for the hour
            <span class="text-soft">a band, learnt from this host’s past weeks</span></span
          >
        </label>
        <p class="border-t border-rule pt-2">
          <RouterLink
            class="underline hover:text-needle"
            :to="{ name: 'compare', params: { id }, query }"
            @click="close()"
            >What is different? Every measure, ranked</RouterLink
          >
        </p>
        <p>
          <RouterLink
            class="underline hover:text-needle"
            :to="{ name: 'weeks', params: { id } }"
            @click="close()"
            >Over weeks: since when is it like this?</RouterLink
          >
        </p>
      </div>
    </template>
  </HangingPanel>
</template>
