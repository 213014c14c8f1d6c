<script setup lang="ts">
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { useZone } from '../usePreferences'
import {
  Combobox,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Dialog,
  DialogPanel,
  DialogTitle,
} from '@headlessui/vue'
import { useStorage } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { toMs } from '../model/instant'
import { entriesFor, type Entry } from './entries'
import { nearTo, suggested } from './suggestions'

/** Type what you are after: a time, a measure, a layout, a process. */
const props = defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: []; choose: [entry: Entry] }>()

const bench = useWorkbench()
const zone = useZone()
const { charted, judgement } = useSession()
const MOST_BEFORE = 5
const typed = ref('')
watch(
  () => props.open,
  () => {
    typed.value = ''
  },
)
const isEmpty = computed(() => !typed.value.trim())
const found = computed(() =>
  entriesFor(typed.value, {
    measures: charted.value,
    newest: bench.extent?.end ?? 0,
    earliest: bench.extent?.start ?? 0,
    zone: zone.value,
    near: bench.needle ?? bench.window?.end ?? 0,
  }),
)
const near = computed(() =>
  found.value.every((entry) => entry.kind === 'processes') ? nearTo(typed.value, charted.value) : [],
)
/** Measures that were found before, the last first. */
const before = useStorage<string[]>('reditus.found', [], undefined, {
  serializer: {
    read: (text) => text.split(' ').filter(Boolean).slice(0, MOST_BEFORE),
    write: (names) => names.join(' '),
  },
})
const hurts = computed(() =>
  judgement.findings.value.map((finding) => ({
    id: finding.id,
    title: finding.title,
    span: { start: toMs(finding.onset.at), end: toMs(finding.end) },
  })),
)
const entries = computed(() =>
  isEmpty.value
    ? suggested(hurts.value, before.value, charted.value, zone.value)
    : [...near.value, ...found.value],
)
const WORDS: Record<Entry['kind'], string> = {
  time: 'time',
  span: 'stretch',
  measure: 'measure',
  layout: 'layout',
  processes: 'processes',
}
function choose(entry: Entry | null): void {
  if (!entry) return
  if (entry.kind === 'measure' && !entry.id.includes(' '))
    before.value = [entry.id, ...before.value.filter((id) => id !== entry.id)].slice(0, MOST_BEFORE)
  emit('choose', entry)
}
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="emit('close')">
    <div class="fixed inset-0 bg-ink/30" aria-hidden="true" />
    <div class="fixed inset-0 flex items-start justify-center p-6 pt-24">
      <DialogPanel class="w-full max-w-xl border border-rule-strong bg-leaf shadow-xl" data-find-dialog>
        <DialogTitle class="sr-only">Find a measure, a time, a layout or a process</DialogTitle>
        <Combobox :model-value="null" nullable @update:model-value="choose($event as Entry | null)">
          <ComboboxInput
            class="w-full border-b border-rule-strong bg-transparent px-4 py-3 font-serif text-lg outline-none placeholder:text-soft"
            placeholder="latency · core 5 · yesterday 14:05 · 10:00 – 12:00 · a process"
            aria-label="What to find"
            autocomplete="off"
            @change="typed = ($event.target as HTMLInputElement).value"
          />
          <p v-if="isEmpty" class="px-4 pt-2 text-2xs text-soft">
            Where it hurt, what was found before, the layouts
          </p>
          <p v-else-if="near.length" class="px-4 pt-2 text-2xs text-soft" role="status">
            Nothing is called that; these are near to it
          </p>
          <ComboboxOptions static class="max-h-[50vh] overflow-y-auto py-1">
            <ComboboxOption
              v-for="entry in entries"
              :key="`${entry.kind} ${entry.id}`"
              v-slot="{ active }"
              :value="entry"
              as="template"
            >
              <li
                class="flex cursor-pointer items-baseline gap-3 px-4 py-1"
                :class="active ? 'bg-rule/50' : ''"
                :data-entry="entry.kind"
              >
                <span class="w-16 shrink-0 text-2xs text-soft">{{ WORDS[entry.kind] }}</span>
                <span class="shrink-0">{{ entry.title }}</span>
                <span class="truncate text-2xs text-soft">{{ entry.note }}</span>
              </li>
            </ComboboxOption>
          </ComboboxOptions>
        </Combobox>
        <p class="border-t border-rule px-4 py-1.5 text-2xs text-soft">
          A measure is added on top, with its whole past. Times: 14:05, yesterday 14:05, 13 Nov 6:00, -2h;
          stretches: 10:00 – 12:00, last 15 min.
        </p>
      </DialogPanel>
    </div>
  </Dialog>
</template>
