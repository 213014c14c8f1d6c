<script setup lang="ts">
import type { Marker, Pin } from '../api/client'
import { vExhibit } from '../exhibits/exhibitable'
import PinButton from '../exhibits/PinButton.vue'
import { placeOf } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import { useTimes } from '../useTimes'
import { useSession } from '../workbench/session'
import { toMs } from '../model/instant'
import { computed, ref } from 'vue'
import { useAddNote } from '../api/mutations'
import { spellDuration } from '../model/clock'
import { toInstant } from '../model/instant'
import PillButton from '../ui/PillButton.vue'
import StateNote from '../ui/StateNote.vue'
import { useWorkbench } from '../useWorkbench'
import { holding, LEVELS, shapeOf, type Severity } from './markers'

/** What was logged, noted and missed in the window, in the order of time. */
const bench = useWorkbench()
const times = useTimes()
const { id, window, moves } = useSession()
const { markers: marked, changes, severity } = window
const note = useAddNote(id)
const search = ref('')
const text = ref('')
const trouble = computed(() => note.error.value?.message ?? '')
const every = computed(() =>
  [...(marked.value?.markers ?? []), ...changes.value].sort((a, b) => toMs(a.at) - toMs(b.at)),
)
const shown = computed(() => holding(every.value, search.value))
const left = computed(() => (marked.value?.total ?? 0) - (marked.value?.markers.length ?? 0))
const WEIGHT = {
  bad: 'font-semibold',
  warning: '',
  plain: 'text-soft',
  note: 'text-needle',
  change: '',
  stretch: '',
}

const placed = usePlace()
function pinOf(marker: Marker): Pin | null {
  const place = placed()
  // A change of what is known of the host is no marker of the archive.
  if (!place || shapeOf(marker) === 'change') return null
  return { kind: 'note', ...placeOf(place), ident: marker.ident }
}
/** Those lines that are shown. */
function pinLines(): Pin | null {
  const place = placed()
  return (
    place && {
      kind: 'log',
      ...placeOf(place),
      severity: severity.value,
      logs: [],
      holding: search.value.trim(),
    }
  )
}

function add(): void {
  if (bench.needle === null || !text.value.trim()) return
  note.mutate(
    { at: toInstant(bench.needle), text: text.value.trim() },
    { onSuccess: () => (text.value = '') },
  )
}
const choose = (event: Event): void => {
  if (event.target instanceof HTMLSelectElement) severity.value = event.target.value as Severity
}
</script>

<template>
  <div class="space-y-3 pb-4" data-notes>
    <div class="flex items-baseline gap-3">
      <input
        v-model="search"
        type="search"
        placeholder="text or program"
        aria-label="Filter notes"
        class="w-full min-w-0 border-b border-rule bg-transparent py-0.5 placeholder:text-soft"
      />
      <select
        :value="severity"
        aria-label="Which log lines"
        class="border-b border-rule bg-leaf py-0.5 text-2xs"
        @change="choose"
      >
        <option v-for="level in LEVELS" :key="level.severity" :value="level.severity">
          {{ level.label }}
        </option>
      </select>
      <PinButton label="Pin these lines as an exhibit" :what="pinLines" />
    </div>
    <StateNote
      v-if="marked && !every.length"
      title="Nothing noted in this window"
      hint="Log lines are kept where the plan asks for them, or a log is imported. A remark can be put at the needle."
    />
    <ol v-else class="divide-y divide-rule" aria-label="Notes, in the order of time">
      <li
        v-for="marker in shown"
        :key="marker.ident"
        v-exhibit="() => pinOf(marker)"
        class="py-1.5 first:pt-0"
      >
        <button type="button" class="block w-full text-left hover:text-needle" @click="moves.note(marker)">
          <span class="flex justify-between gap-2 text-2xs text-soft">
            <span>{{ times.at(toMs(marker.at)) }} {{ marker.source }}</span>
            <span :class="WEIGHT[shapeOf(marker)]">{{
              marker.severity ?? (shapeOf(marker) === 'change' ? 'change' : marker.kind)
            }}</span>
          </span>
          <span class="break-words"
            >{{ marker.text
            }}<template v-if="marker.end !== null">
              ({{ spellDuration((toMs(marker.end) - toMs(marker.at)) / 1000) }})</template
            ></span
          >
        </button>
      </li>
    </ol>
    <p v-if="left > 0" class="text-2xs text-soft">{{ left }} more of lower severity; zoom in to see them.</p>
    <form v-if="bench.needle !== null" class="border-t border-rule pt-2" @submit.prevent="add">
      <label class="text-2xs text-soft" for="remark">A remark at {{ times.at(bench.needle) }}</label>
      <div class="flex items-end gap-2">
        <input
          id="remark"
          v-model="text"
          maxlength="2000"
          class="w-full min-w-0 border-b border-rule-strong bg-transparent py-0.5"
        />
        <PillButton label="Note it" :disabled="!text.trim()" @press="add">Note</PillButton>
      </div>
      <p v-if="trouble" class="text-2xs text-needle" role="alert">{{ trouble }}</p>
    </form>
  </div>
</template>
