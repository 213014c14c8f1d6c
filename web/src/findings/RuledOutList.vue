<script setup lang="ts">
import type { Pin, RuledOut } from '../api/client'
import { vExhibit } from '../exhibits/exhibitable'
import PinButton from '../exhibits/PinButton.vue'
import { placeOf } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import { useTimes } from '../useTimes'
import { computed } from 'vue'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { toMs } from '../model/instant'
import StateNote from '../ui/StateNote.vue'
import { titleOf } from './chain'
import EvidenceList from './EvidenceList.vue'

/** What only looks like a problem, and why it is none. */
const bench = useWorkbench()
const times = useTimes()
const { judgement, moves } = useSession()
const judgedWindow = computed(() => bench.extent)
const placed = usePlace()
function pinOf(excluded: RuledOut): Pin | null {
  const place = placed()
  const window = judgedWindow.value
  return place && window
    ? { kind: 'ruled-out', ...placeOf({ ...place, window }), finding: excluded.id }
    : null
}
const ruledOut = computed(() => judgement.diagnosis.value?.ruled_out ?? [])
</script>

<template>
  <StateNote
    v-if="!ruledOut.length"
    title="Nothing to rule out"
    hint="Nothing in this archive looks like a problem without being one."
  />
  <ol v-else class="divide-y divide-rule" aria-label="What only looks like a problem">
    <li
      v-for="excluded in ruledOut"
      :key="excluded.id"
      v-exhibit="() => pinOf(excluded)"
      class="py-3 first:pt-0"
      data-ruled-out
    >
      <button
        type="button"
        class="w-full border-l-[3px] border-dotted border-rule-strong pl-3 text-left"
        :aria-current="bench.selected === excluded.id"
        @click="moves.find(excluded.id)"
      >
        <span class="flex items-baseline justify-between gap-2">
          <span class="font-serif text-base font-semibold">{{ titleOf(excluded) }}</span>
          <span class="text-2xs text-soft">{{ excluded.kind }}</span>
        </span>
        <span class="block text-soft">
          {{ times.range(toMs(excluded.start), toMs(excluded.end)) }} · not a problem
        </span>
      </button>
      <div class="mt-2 space-y-3 pl-[15px]">
        <p>{{ excluded.explanation }}</p>
        <EvidenceList :evidence="excluded.evidence" />
        <PinButton label="Pin this as an exhibit" :what="() => pinOf(excluded)" />
      </div>
    </li>
  </ol>
</template>
