<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useLogs } from '../api/queries'
import { planOfMeasures } from '../model/layouts'
import { LEVELS, type Severity } from '../notes/markers'
import { useStrips } from '../useStrips'
import { useSession } from '../workbench/session'
import AddLog from './AddLog.vue'
import LogPane from './LogPane.vue'
import { countedName } from './lines'
import { useReading } from './useReading'

/** Two logs side by side, the needle moving in both; what is searched for can be counted as a strip. */
const HOLDING_AFTER_MS = 250
const reading = useReading()
const board = useStrips()
const { id, charted, window: shown } = useSession()
const { data: logs, error, isPending } = useLogs(id)
const known = computed(() => logs.value ?? [])
const adding = ref(false)
const said = ref('')
const holding = refDebounced(
  computed(() => reading.holding.trim()),
  HOLDING_AFTER_MS,
)
const choose = (event: Event): void => {
  if (event.target instanceof HTMLSelectElement) shown.severity.value = event.target.value as Severity
}
/** How often what is searched for was logged, as a strip beside the others. */
function count(what: 'log.lines' | 'log.errors'): void {
  const plan = planOfMeasures([countedName(what, holding.value)], charted.value)
  if (plan) board.add(plan)
}
const second = (): string => known.value.find((log) => log.name !== reading.panes[0])?.name ?? ''
</script>

<template>
  <section class="border-b border-rule bg-leaf px-[18px] py-1.5" aria-label="Logs" data-log-reader>
    <div class="flex items-baseline gap-3 pb-1 text-2xs">
      <input
        v-model="reading.holding"
        type="search"
        maxlength="200"
        placeholder="lines that hold … (* is anything)"
        aria-label="Lines that hold"
        class="w-56 border-b border-rule bg-transparent py-0.5 text-xs placeholder:text-soft"
      />
      <select
        :value="shown.severity.value"
        aria-label="Which lines"
        class="border-b border-rule bg-leaf py-0.5"
        @change="choose"
      >
        <option v-for="level in LEVELS" :key="level.severity" :value="level.severity">
          {{ level.label }}
        </option>
      </select>
      <button
        type="button"
        class="underline hover:text-needle disabled:no-underline disabled:opacity-40"
        :disabled="!holding"
        title="A strip of how many lines hold this, a second"
        @click="count('log.lines')"
      >
        count them
      </button>
      <span class="grow truncate text-soft" role="status">{{ said }}</span>
      <button
        v-if="reading.panes[1] === null"
        type="button"
        class="underline hover:text-needle disabled:no-underline disabled:opacity-40"
        :disabled="!known.length"
        @click="reading.choose(1, second())"
      >
        a second log beside it
      </button>
      <button type="button" class="underline hover:text-needle" @click="adding = true">add a log …</button>
    </div>
    <p v-if="error" class="text-soft">The logs cannot be listed: {{ error.message }}</p>
    <p v-else-if="isPending" class="text-soft" role="status">looking for logs …</p>
    <p v-else-if="!known.length" class="text-soft">
      No log is kept with this archive. Add one here: any text whose lines tell their time. A recorder follows
      logs that it is started with, and the kernel’s own where its plan says so.
    </p>
    <div v-else class="flex h-44 gap-4">
      <LogPane
        :log="reading.panes[0]"
        :logs="known"
        :holding="holding"
        label="First log"
        @choose="reading.choose(0, $event)"
      />
      <LogPane
        v-if="reading.panes[1] !== null"
        :log="reading.panes[1]"
        :logs="known"
        :holding="holding"
        label="Second log"
        @choose="reading.choose(1, $event)"
      >
        <button
          type="button"
          class="ml-auto px-1 hover:text-needle"
          aria-label="Close the second log"
          title="Close the second log"
          @click="reading.choose(1, null)"
        >
          ×
        </button>
      </LogPane>
    </div>
    <AddLog v-if="adding" @close="adding = false" @added="said = $event" />
  </section>
</template>
