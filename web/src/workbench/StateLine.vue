<script setup lang="ts">
import { useSession } from './session'
import { useZone } from '../usePreferences'
import { toMsOrNull } from '../model/instant'
import { refDebounced, useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import { RouterLink } from 'vue-router'
import type { Archive } from '../api/client'
import { useRecorders } from '../api/queries'
import { spellDuration, spellInstant, spellWindow } from '../model/clock'
import { usePictures } from '../pictures/usePictures'
import { useWorkbench } from '../useWorkbench'

/** What the analyst has to know about what is on the page: that it is on its way, old, or not what the link named. */
const props = defineProps<{ archive: Archive }>()

const CLOCK_MS = 1_000
const SILENT_S = 15
const SILENT_TICKS = 5
const SLOW_MS = 400

const bench = useWorkbench()
const pictures = usePictures()
const zone = useZone()
const { error, isFetching } = useSession().window
const now = ref(Date.now())
useIntervalFn(() => {
  now.value = Date.now()
}, CLOCK_MS)
const { data: recorders } = useRecorders()
const isSlow = refDebounced(isFetching, SLOW_MS)
const isLoading = computed(() => isFetching.value && isSlow.value)

/** Only of a host that should be sending: a recording that was ended is not silent. */
const silence = computed(() => {
  const recorder = recorders.value?.find(
    (item) => item.id === props.archive.id && item.recording && item.state !== 'ended',
  )
  const { interval_s: interval } = props.archive
  const end = toMsOrNull(props.archive.end)
  if (!recorder || end === null) return null
  const seconds = (now.value - end) / 1000
  if (seconds < SILENT_S + SILENT_TICKS * (interval ?? 1)) return null
  return {
    since: spellInstant(end, zone.value),
    long: spellDuration(seconds),
    state: recorder.state,
  }
})
const outside = computed(() =>
  bench.outside ? spellWindow(bench.outside.start, bench.outside.end, zone.value) : null,
)
</script>

<template>
  <div class="relative shrink-0" role="status" aria-live="polite" data-state-line>
    <div v-if="isLoading" class="absolute inset-x-0 top-0 z-20 h-0.5 overflow-hidden" data-loading>
      <div class="pen h-full w-1/4 bg-needle" />
      <span class="sr-only">Loading the strips</span>
    </div>
    <p
      v-if="pictures.said"
      class="absolute top-1 right-2 z-40 border border-rule-strong bg-leaf px-2 py-0.5 text-2xs shadow"
      data-said
    >
      {{ pictures.said }}
    </p>
    <p v-if="error" class="border-b border-rule bg-leaf px-[18px] py-1 text-needle" data-state="error">
      The strips could not be brought up to date: {{ error.message }}
    </p>
    <p v-if="outside" class="border-b border-rule bg-leaf px-[18px] py-1" data-state="outside">
      The link’s window, {{ outside }}, lies outside this archive; its nearest part is shown.
      <button
        type="button"
        class="underline hover:text-needle"
        @click="bench.extent && bench.look(bench.extent)"
      >
        Look at the whole
      </button>
      ·
      <button type="button" class="underline hover:text-needle" @click="bench.forgetOutside()">
        that’s fine
      </button>
    </p>
    <p v-if="bench.linkProblem" class="border-b border-rule bg-leaf px-[18px] py-1" data-state="link">
      Part of the link was left out: {{ bench.linkProblem }}.
      <button type="button" class="underline hover:text-needle" @click="bench.linkProblem = null">
        that’s fine
      </button>
    </p>
    <p v-if="silence" class="border-b border-rule bg-leaf px-[18px] py-1" data-state="silent">
      <b class="font-semibold text-needle">Silent.</b> Nothing has come from {{ archive.host.name }} since
      {{ silence.since }}, {{ silence.long }} ago. Its recorder is {{ silence.state }};
      <RouterLink to="/recorders" class="underline hover:text-needle">see what it does</RouterLink>.
    </p>
  </div>
</template>

<style scoped>
.pen {
  animation: run 1.2s linear infinite;
}
@keyframes run {
  from {
    transform: translateX(-100%);
  }
  to {
    transform: translateX(500%);
  }
}
@media (prefers-reduced-motion: reduce) {
  .pen {
    animation: none;
    width: 100%;
  }
}
</style>
