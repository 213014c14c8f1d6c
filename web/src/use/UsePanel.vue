<script setup lang="ts">
import { refDebounced, useStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useUse } from '../api/queries'
import { spellWindow } from '../model/clock'
import { planOfUse } from '../model/layouts'
import type { Span } from '../model/span'
import { HEIGHT } from '../model/strips'
import type { Pin } from '../api/client'
import { vExhibit } from '../exhibits/exhibitable'
import PinButton from '../exhibits/PinButton.vue'
import { placeOf } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import StateNote from '../ui/StateNote.vue'
import HintNote from '../settings/HintNote.vue'
import { useZone } from '../usePreferences'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { wayOf, WAYS, type Quantity } from './columns'
import { useCoreLane } from './useCoreLane'
import UseTable from './UseTable.vue'

/** Who used what over the window, or since the mark. */
const bench = useWorkbench()
const board = useStrips()
const zone = useZone()
const { id } = useSession()
const by = useStorage<(typeof WAYS)[number]['by']>('reditus.useBy', 'process')
const sort = useStorage<Quantity>('reditus.useSort', 'processor')
const sinceMark = ref(false)
const search = ref('')
const coreLane = useCoreLane()
/** Look through everything that was recorded, not only the window. */
const everywhere = ref(false)
const TYPING_MS = 250

const span = computed<Span | null>(() => {
  const { mark, needle, window, extent } = bench
  if (everywhere.value) return extent
  if (!sinceMark.value || mark === null) return window
  const end = needle !== null && needle > mark ? needle : (window?.end ?? mark + 1000)
  return end > mark ? { start: mark, end } : window
})
const typed = refDebounced(
  computed(() => search.value.trim()),
  TYPING_MS,
)
const { data: use, error, isFetching, isPlaceholderData } = useUse(id, span, by, sort, typed)
/** How much of the window is known, 0 to 1. */
const coverage = computed(() =>
  use.value?.recorded && span.value
    ? use.value.recorded_s / ((span.value.end - span.value.start) / 1000)
    : null,
)
function asStrip(): void {
  const plan = planOfUse(`use.${sort.value}{by=${by.value}}`)
  if (plan) board.add(plan, { height: 2 * HEIGHT })
}
const way = computed(() => wayOf(by.value))
const placed = usePlace()
function pinOf(): Pin | null {
  const place = placed()
  if (!place || !span.value || !use.value?.rows.length) return null
  return {
    kind: 'use',
    ...placeOf({ ...place, window: span.value }),
    by: by.value,
    sort: sort.value,
    most: MOST_PINNED,
    match: typed.value,
  }
}
const MOST_PINNED = 20
</script>

<template>
  <section v-exhibit="pinOf" class="pb-4" aria-label="Use" data-use>
    <HintNote place="use" class="-mx-4 -mt-3 mb-2" />
    <header class="mb-1.5">
      <p class="text-2xs text-soft" data-use-window>
        <template v-if="span">{{ spellWindow(span.start, span.end, zone) }}</template>
        <template v-if="coverage !== null && coverage < 0.995"
          >, {{ Math.floor(coverage * 100) }}&nbsp;% recorded</template
        >
      </p>
      <div class="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1">
        <label class="text-2xs text-soft"
          >by
          <select
            v-model="by"
            class="border-b border-rule-strong bg-transparent py-0.5 text-ink"
            aria-label="Put together by"
          >
            <option v-for="item in WAYS" :key="item.by" :value="item.by">{{ item.title }}</option>
          </select>
        </label>
        <label class="flex items-center gap-1 text-2xs text-soft">
          <input v-model="everywhere" type="checkbox" class="accent-ink" />whole archive
        </label>
        <label v-if="bench.mark !== null && !everywhere" class="flex items-center gap-1 text-2xs text-soft">
          <input v-model="sinceMark" type="checkbox" class="accent-ink" />since the mark
        </label>
        <span v-if="isFetching && !use" class="text-2xs text-soft" role="status">adding up …</span>
      </div>
      <div class="mt-1 flex items-center">
        <label
          class="flex w-fit items-center gap-1 text-2xs text-soft"
          title="A picture above the strips: each core, and who had most of it"
        >
          <input v-model="coreLane" type="checkbox" class="accent-ink" />who ran on which core
        </label>
        <button
          type="button"
          class="ml-auto text-2xs underline hover:text-needle"
          title="Over time, as a strip on top of the others"
          @click="asStrip()"
        >
          as a strip
        </button>
        <PinButton label="Pin who used what as an exhibit" :what="pinOf" />
      </div>
      <input
        v-model="search"
        type="search"
        maxlength="120"
        placeholder="name, user, number, command line"
        aria-label="Search those who used it"
        class="mt-1 w-full border-b border-rule bg-transparent py-0.5 placeholder:text-soft"
      />
    </header>
    <StateNote v-if="error && !use" title="Use cannot be shown" :hint="error.message" />
    <p v-else-if="!use" class="py-6 text-center text-soft" role="status" aria-busy="true">
      Adding up what each process used …
    </p>
    <StateNote
      v-else-if="!use.recorded"
      title="No processes in this archive"
      hint="Who used what is known where the recorder's plan includes processes. Recorders, plan, processes."
    />
    <StateNote
      v-else-if="!use.rows.length && typed"
      title="Nothing of that name"
      :hint="
        everywhere
          ? 'No process that was ever among the heaviest matches.'
          : 'Tick “whole archive” to search outside the window as well.'
      "
    />
    <StateNote
      v-else-if="!use.rows.length"
      title="Nothing recorded here"
      hint="No tick of this window holds processes. Move the window, or zoom out."
    />
    <UseTable
      v-else
      :use="use"
      :way="way"
      :found="typed !== ''"
      :everywhere="everywhere"
      :class="isPlaceholderData ? 'opacity-60' : ''"
      :aria-busy="isFetching"
      @sort="sort = $event"
    />
  </section>
</template>
