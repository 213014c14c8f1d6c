<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import {
  useLook,
  useStartImport,
  type ImportItem,
  type Meanings,
  type TableMapping,
  type TextLayout,
} from '../api/imports'
import { useCounters } from '../api/queries'
import { toMs } from '../model/instant'
import PillButton from '../ui/PillButton.vue'
import StateNote from '../ui/StateNote.vue'
import TextField from '../ui/TextField.vue'
import { useTimes } from '../useTimes'
import MeaningEditor from './MeaningEditor.vue'
import MeaningTable from './MeaningTable.vue'
import NameTable from './NameTable.vue'
import TextReading from './TextReading.vue'
import { columnAt, DELIMITERS, isTime, TIME_FORMS, withColumn, withTime } from './mapping'
import { textOf } from './fields'

/** How a file that has come would be read: the guess, what it makes of the first rows, and corrections. */
const props = defineProps<{ item: ImportItem }>()
const times = useTimes()
const corrected = ref<TableMapping | null>(null)
const laidOut = ref<TextLayout | null>(null)
const {
  data: look,
  error,
  isFetching,
} = useLook(
  toRef(() => props.item.id),
  corrected,
  laidOut,
)
const { data: counters } = useCounters()
const start = useStartImport()
const host = ref('')
const name = ref('')
const mapping = computed(() => corrected.value ?? look.value?.mapping ?? null)
const layout = computed(() => laidOut.value ?? look.value?.layout ?? null)
const columns = computed(() => {
  const now = mapping.value
  return now ? (look.value?.columns ?? []).filter((column) => !isTime(now, column.place)) : []
})
const first = computed(() => look.value?.times.find((at) => at !== null) ?? null)
const unread = computed(() => look.value?.times.filter((at) => at === null).length ?? 0)
const trouble = computed(
  () => error.value?.message ?? look.value?.problem ?? start.error.value?.message ?? null,
)
const forms = computed(() => {
  const form = mapping.value?.time.form
  return form && !TIME_FORMS.some((known) => known.form === form)
    ? [{ form, title: form }, ...TIME_FORMS]
    : TIME_FORMS
})
function change(to: TableMapping): void {
  corrected.value = to
}
function set(part: Partial<TableMapping>): void {
  if (mapping.value) change({ ...mapping.value, ...part })
}
function setTime(part: Partial<TableMapping['time']>): void {
  if (mapping.value) change(withTime(mapping.value, part))
}
function setMeanings(meanings: Meanings): void {
  if (mapping.value?.long) set({ long: { ...mapping.value.long, meanings } })
}
function setFirst(event: Event): void {
  const row = Number(textOf(event)) - 1
  if (mapping.value && row >= 0) set({ first_row: row, names_row: row > 0 ? row - 1 : null, units_row: null })
}
function read(): void {
  start.mutate({
    id: props.item.id,
    options: {
      ...(host.value.trim() ? { host: host.value.trim() } : {}),
      ...(name.value.trim() ? { name: name.value.trim() } : {}),
      ...(corrected.value ? { mapping: corrected.value } : {}),
      ...(layout.value ? { layout: layout.value } : {}),
    },
  })
}
</script>

<template>
  <section
    class="border border-rule-strong bg-leaf p-4"
    :aria-label="`How ${item.name} is read`"
    data-reading
  >
    <StateNote v-if="!look && !error" title="Looking at the file" busy />
    <template v-else>
      <p v-if="look" class="text-soft">
        <template v-if="layout">It is text that is printed at an interval</template>
        <template v-else>It is {{ look.title }}</template
        ><template v-if="look.kept">, and is read as the last file whose columns are called the same</template
        ><template v-if="!look.mapping && !layout && !look.problem"
          >; it says itself what its numbers mean</template
        >.
      </p>
      <ul v-if="look?.doubts.length" class="mt-1 list-disc pl-5 text-soft" aria-label="Guesses">
        <li v-for="doubt in look.doubts" :key="doubt">{{ doubt }}</li>
      </ul>
      <p v-if="trouble" class="mt-2 max-w-[90ch] text-needle" role="alert">{{ trouble }}</p>
      <TextReading
        v-if="look && layout"
        :look="look"
        :layout="layout"
        :catalogue="counters ?? []"
        @change="laidOut = $event"
      />
      <div v-if="mapping" class="mt-3 flex flex-wrap items-end gap-x-5 gap-y-2">
        <label>
          <span class="block text-2xs text-soft">time column</span>
          <select
            class="max-w-48 h-7 border-b border-rule-strong bg-leaf"
            :value="mapping.time.places[0]"
            @change="setTime({ places: [Number(textOf($event))] })"
          >
            <option v-for="column in look?.columns ?? []" :key="column.place" :value="column.place">
              {{ column.name
              }}{{ mapping.time.places.length > 1 && isTime(mapping, column.place) ? ' …' : '' }}
            </option>
          </select>
        </label>
        <label>
          <span class="block text-2xs text-soft">written as</span>
          <select
            class="h-7 border-b border-rule-strong bg-leaf"
            :value="mapping.time.form"
            @change="setTime({ form: textOf($event) })"
          >
            <option v-for="known in forms" :key="known.form" :value="known.form">{{ known.title }}</option>
          </select>
        </label>
        <label>
          <span class="block text-2xs text-soft">zone, where it has none</span>
          <input
            class="w-36 h-7 border-b border-rule-strong bg-transparent"
            :value="mapping.time.zone"
            spellcheck="false"
            @change="setTime({ zone: textOf($event) || 'UTC' })"
          />
        </label>
        <label>
          <span class="block text-2xs text-soft">cells parted by</span>
          <select
            class="h-7 border-b border-rule-strong bg-leaf"
            :value="mapping.delimiter"
            @change="set({ delimiter: textOf($event) })"
          >
            <option v-for="known in DELIMITERS" :key="known.value" :value="known.value">
              {{ known.title }}
            </option>
          </select>
        </label>
        <label>
          <span class="block text-2xs text-soft">decimals after</span>
          <select
            class="h-7 border-b border-rule-strong bg-leaf"
            :value="mapping.decimal"
            @change="set({ decimal: textOf($event) === ',' ? ',' : '.' })"
          >
            <option value=".">a point</option>
            <option value=",">a comma</option>
          </select>
        </label>
        <label>
          <span class="block text-2xs text-soft">first row of data</span>
          <input
            type="number"
            min="1"
            max="102"
            class="w-16 h-7 border-b border-rule-strong bg-transparent"
            :value="mapping.first_row + 1"
            @change="setFirst"
          />
        </label>
        <span class="pb-1 text-soft" role="status">
          <template v-if="first !== null">first tick {{ times.at(toMs(first)) }}</template>
          <template v-if="unread"> · {{ unread }} of the first {{ look?.rows }} rows without a time</template>
          <template v-if="isFetching"> · looking …</template>
        </span>
      </div>
      <MeaningTable
        v-if="mapping && !mapping.long"
        first="column, first cells"
        :drawn="`first ${look?.rows} rows`"
        :catalogue="counters ?? []"
      >
        <MeaningEditor
          v-for="column in columns"
          :key="column.place"
          :label="column.name"
          :cells="column.cells"
          :values="column.values"
          :meaning="columnAt(mapping, column.place)"
          :catalogue="counters ?? []"
          @change="change(withColumn(mapping, column.place, $event, column.name))"
        />
      </MeaningTable>
      <template v-else-if="mapping?.long">
        <p class="mt-3 text-soft">
          A row a value: {{ look?.columns[mapping.long.value]?.name }} is the number, named by
          {{ mapping.long.names.map((place) => look?.columns[place]?.name).join(', ') }}.
        </p>
        <NameTable
          v-if="look?.names.length"
          :names="look.names"
          :meanings="mapping.long.meanings"
          :drawn="`first ${look.rows} rows`"
          :catalogue="counters ?? []"
          @change="setMeanings"
        />
      </template>
      <div
        v-if="look && (look.mapping || layout || !look.problem)"
        class="mt-4 flex flex-wrap items-end gap-4"
      >
        <TextField
          v-if="look.mapping || layout"
          v-model="host"
          class="w-56"
          label="of the host"
          :hint="item.name.split('.')[0] ?? ''"
        />
        <TextField
          v-if="look.mapping || layout"
          v-model="name"
          class="w-64"
          label="archive called"
          :hint="item.name"
        />
        <PillButton
          :label="`Read it: ${item.name}`"
          :disabled="start.isPending.value || !!error"
          @press="read"
          >Read it</PillButton
        >
      </div>
    </template>
  </section>
</template>
