<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Counter } from '../api/client'
import type { ColumnMapping, LookColumn, TableMapping } from '../api/imports'
import { called, columnAt, readAttributes, SCALES, withColumn, writeAttributes } from './mapping'
import { textOf } from './fields'
import SparkLine from './SparkLine.vue'

/** One column of a table: what stands in it, and what it is read as. */
const props = defineProps<{ column: LookColumn; mapping: TableMapping; catalogue: Counter[] }>()
const emit = defineEmits<{ change: [mapping: TableMapping] }>()

const own = computed(() => columnAt(props.mapping, props.column.place))
const known = computed(() => props.catalogue.find((item) => item.name === own.value?.counter) ?? null)
const name = ref('')
const attributes = ref('')
watch(
  own,
  (now) => {
    name.value = now?.counter ?? ''
    attributes.value = writeAttributes(now?.attributes ?? {})
  },
  { immediate: true },
)
const wrong = computed(() => readAttributes(attributes.value) === null)
const scaleAt = computed(() => {
  const now = own.value?.scale.join('/')
  return SCALES.findIndex((item) => item.scale.join('/') === now)
})

function change(to: Partial<ColumnMapping> | null): void {
  emit('change', withColumn(props.mapping, props.column.place, to, props.column.name))
}
function rename(): void {
  const counter = name.value.trim()
  if (counter && counter !== own.value?.counter) change(called(counter, props.catalogue))
}
function reattribute(): void {
  const read = readAttributes(attributes.value)
  if (read) change({ attributes: read })
}
function rescale(event: Event): void {
  const item = SCALES[Number(textOf(event))]
  if (item) change({ scale: item.scale })
}
</script>

<template>
  <tr class="border-b border-rule/60 align-top" :class="own ? '' : 'text-soft'" data-column>
    <td class="py-1.5 pr-3">
      <label class="flex items-start gap-2">
        <input
          type="checkbox"
          class="mt-0.5 accent-ink"
          :checked="own !== null"
          @change="change(own ? null : {})"
        />
        <span class="[overflow-wrap:anywhere]">{{ column.name }}</span>
      </label>
      <span class="block truncate pl-5 text-2xs text-soft" :title="column.cells.join(' · ')">{{
        column.cells.slice(0, 4).join(' · ')
      }}</span>
    </td>
    <template v-if="own">
      <td class="py-1.5 pr-3">
        <input
          v-model="name"
          class="w-full border-b border-rule-strong bg-transparent"
          list="counters-of-the-catalogue"
          maxlength="200"
          spellcheck="false"
          :aria-label="`What ${column.name} counts`"
          @change="rename"
        />
        <input
          v-model="attributes"
          class="mt-0.5 w-full border-b bg-transparent text-2xs"
          :class="wrong ? 'border-needle' : 'border-rule'"
          placeholder="of which device: name=value, …"
          maxlength="900"
          spellcheck="false"
          :aria-label="`Attributes of ${column.name}`"
          :aria-invalid="wrong"
          @change="reattribute"
        />
        <span v-if="known" class="text-2xs text-soft">{{ known.title }}: rules judge it</span>
      </td>
      <td class="py-1.5 pr-3">
        <select
          class="w-full border-b border-rule-strong bg-leaf"
          :value="own.kind"
          :disabled="known !== null"
          :aria-label="`Whether ${column.name} only grows`"
          @change="change({ kind: own.kind === 'level' ? 'cumulative' : 'level' })"
        >
          <option value="level">a level</option>
          <option value="cumulative">only grows</option>
        </select>
      </td>
      <td class="py-1.5 pr-3">
        <input
          class="w-full border-b border-rule-strong bg-transparent disabled:opacity-60"
          :value="own.unit"
          :disabled="known !== null"
          maxlength="40"
          spellcheck="false"
          :aria-label="`Unit of ${column.name}`"
          @change="change({ unit: textOf($event) })"
        />
      </td>
      <td class="py-1.5 pr-3">
        <select
          class="w-full border-b border-rule-strong bg-leaf"
          :value="scaleAt"
          :aria-label="`Scale of ${column.name}`"
          @change="rescale"
        >
          <option v-if="scaleAt < 0" :value="-1">× {{ own.scale[0] }} ÷ {{ own.scale[1] }}</option>
          <option v-for="(item, at) in SCALES" :key="item.title" :value="at">{{ item.title }}</option>
        </select>
      </td>
      <td class="py-1.5">
        <SparkLine :values="column.values" :label="`${column.name} over the first rows`" />
      </td>
    </template>
    <td v-else colspan="5" class="py-1.5 text-2xs">left out</td>
  </tr>
</template>
