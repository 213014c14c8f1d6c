<script setup lang="ts">
import { useStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useUse } from '../api/queries'
import { spellDuration, spellWindow } from '../model/clock'
import type { Span } from '../model/span'
import StateNote from '../ui/StateNote.vue'
import { useZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { WAYS, type Quantity } from './columns'
import UseTable from './UseTable.vue'

/** Who used what over the window, or since the mark. */
const bench = useWorkbench()
const zone = useZone()
const { id } = useSession()
const by = useStorage<(typeof WAYS)[number]['by']>('reditus.useBy', 'process')
const sort = useStorage<Quantity>('reditus.useSort', 'processor')
const sinceMark = ref(false)

const span = computed<Span | null>(() => {
  const { mark, needle, window } = bench
  if (!sinceMark.value || mark === null) return window
  const end = needle !== null && needle > mark ? needle : (window?.end ?? mark + 1000)
  return end > mark ? { start: mark, end } : window
})
const { data: use, error, isFetching, isPlaceholderData } = useUse(id, span, by, sort)
const way = computed(() => WAYS.find((item) => item.by === by.value) ?? WAYS[0]!)
</script>

<template>
  <section class="pb-4" aria-label="Use" data-use>
    <header class="mb-1.5">
      <p class="text-2xs text-soft" data-use-window>
        <template v-if="span">{{ spellWindow(span.start, span.end, zone) }}</template>
        <template v-if="use?.recorded"> · {{ spellDuration(use.recorded_s) }} recorded</template>
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
        <label v-if="bench.mark !== null" class="flex items-center gap-1 text-2xs text-soft">
          <input v-model="sinceMark" type="checkbox" class="accent-ink" />since the mark
        </label>
        <span v-if="isFetching && !use" class="text-2xs text-soft" role="status">adding up …</span>
      </div>
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
      v-else-if="!use.rows.length"
      title="Nothing recorded here"
      hint="No tick of this window holds processes. Move the window, or zoom out."
    />
    <UseTable
      v-else
      :use="use"
      :way="way"
      :class="isPlaceholderData ? 'opacity-60' : ''"
      :aria-busy="isFetching"
      @sort="sort = $event"
    />
  </section>
</template>
