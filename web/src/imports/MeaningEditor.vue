<script setup lang="ts">
import { computed, inject, ref, watch } from 'vue'
import type { Counter } from '../api/client'
import type { Meaning } from '../api/imports'
import { called, readAttributes, SCALES, writeAttributes } from './mapping'
import { CATALOGUE, textOf } from './fields'
import SparkLine from './SparkLine.vue'

/** A column, or a printed name: what stands under it, and what that is read as. */
const props = defineProps<{
  label: string
  /** Of what, where the text says so itself. */
  devices?: string[]
  cells: string[]
  values: (number | null)[]
  /** null where it is left out. */
  meaning: Meaning | null
  catalogue: Counter[]
}>()
/** What is to be different; null leaves it out, and an empty change takes it in again. */
const emit = defineEmits<{ change: [to: Partial<Meaning> | null] }>()
const KINDS: { kind: Meaning['kind']; title: string }[] = [
  { kind: 'level', title: 'a level' },
  { kind: 'cumulative', title: 'only grows' },
  { kind: 'rate', title: 'rate per second' },
]

const catalogueList = inject(CATALOGUE)
const known = computed(() => props.catalogue.find((item) => item.name === props.meaning?.counter) ?? null)
const kinds = computed(() =>
  known.value ? KINDS.filter(({ kind }) => (kind === 'level') === (known.value?.kind === 'level')) : KINDS,
)
const devices = computed(() => {
  const named = (props.devices ?? []).filter((device) => device !== '')
  const more = named.length > 4 ? ` and ${named.length - 4} more` : ''
  return named.length ? `of ${named.slice(0, 4).join(', ')}${more}` : ''
})
const name = ref('')
const attributes = ref('')
// By what they say, not by the object: a look at the file that comes back meanwhile must not undo what is being typed.
watch(
  () => props.meaning?.counter ?? '',
  (now) => {
    name.value = now
  },
  { immediate: true },
)
watch(
  () => writeAttributes(props.meaning?.attributes ?? {}),
  (now) => {
    attributes.value = now
  },
  { immediate: true },
)
const wrong = computed(() => readAttributes(attributes.value) === null)
const scaleAt = computed(() => {
  const now = props.meaning?.scale.join('/')
  return SCALES.findIndex((item) => item.scale.join('/') === now)
})

const change = (to: Partial<Meaning> | null): void => {
  emit('change', to)
}
function rename(): void {
  const counter = name.value.trim()
  if (counter && counter !== props.meaning?.counter) change(called(counter, props.catalogue))
}
function reattribute(): void {
  const read = readAttributes(attributes.value)
  if (read) change({ attributes: read })
}
function rescale(event: Event): void {
  const item = SCALES[Number(textOf(event))]
  if (item) change({ scale: item.scale })
}
function rekind(event: Event): void {
  const item = KINDS.find(({ kind }) => kind === textOf(event))
  if (item) change({ kind: item.kind })
}
</script>

<template>
  <tr class="border-b border-rule/60 align-top" :class="meaning ? '' : 'text-soft'" data-column>
    <td class="py-1.5 pr-3">
      <label class="flex items-start gap-2">
        <input
          type="checkbox"
          class="mt-0.5 accent-ink"
          :checked="meaning !== null"
          @change="change(meaning ? null : {})"
        />
        <span class="[overflow-wrap:anywhere]">{{ label }}</span>
      </label>
      <span
        v-if="devices"
        class="block truncate pl-5 text-2xs text-soft"
        :title="props.devices?.join(', ')"
        >{{ devices }}</span
      >
      <span class="block truncate pl-5 text-2xs text-soft" :title="cells.join(' · ')">{{
        cells.slice(0, 4).join(' · ')
      }}</span>
    </td>
    <template v-if="meaning">
      <td class="py-1.5 pr-3">
        <input
          v-model="name"
          class="w-full border-b border-rule-strong bg-transparent"
          :list="catalogueList"
          maxlength="200"
          spellcheck="false"
          :aria-label="`What ${label} counts`"
          @change="rename"
        />
        <input
          v-model="attributes"
          class="mt-0.5 w-full border-b bg-transparent text-2xs"
          :class="wrong ? 'border-needle' : 'border-rule'"
          placeholder="of which device: name=value, …"
          maxlength="900"
          spellcheck="false"
          :aria-label="`Attributes of ${label}`"
          :aria-invalid="wrong"
          @change="reattribute"
        />
        <span v-if="known" class="text-2xs text-soft">{{ known.title }}: rules judge it</span>
      </td>
      <td class="py-1.5 pr-3">
        <select
          class="w-full border-b border-rule-strong bg-leaf"
          :value="meaning.kind"
          :disabled="kinds.length < 2"
          :aria-label="`Whether ${label} only grows`"
          @change="rekind"
        >
          <option v-for="item in kinds" :key="item.kind" :value="item.kind">{{ item.title }}</option>
        </select>
      </td>
      <td class="py-1.5 pr-3">
        <input
          class="w-full border-b border-rule-strong bg-transparent disabled:opacity-60"
          :value="meaning.unit"
          :disabled="known !== null"
          maxlength="40"
          spellcheck="false"
          :aria-label="`Unit of ${label}`"
          @change="change({ unit: textOf($event) })"
        />
      </td>
      <td class="py-1.5 pr-3">
        <select
          class="w-full border-b border-rule-strong bg-leaf"
          :value="scaleAt"
          :aria-label="`Scale of ${label}`"
          @change="rescale"
        >
          <option v-if="scaleAt < 0" :value="-1">× {{ meaning.scale[0] }} ÷ {{ meaning.scale[1] }}</option>
          <option v-for="(item, at) in SCALES" :key="item.title" :value="at">{{ item.title }}</option>
        </select>
      </td>
      <td class="py-1.5">
        <SparkLine :values="values" :label="`${label} over the first rows`" />
      </td>
    </template>
    <td v-else colspan="5" class="py-1.5 text-2xs">left out</td>
  </tr>
</template>
