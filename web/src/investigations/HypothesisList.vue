<script setup lang="ts">
import { computed } from 'vue'
import type { Exhibit, Hypothesis } from '../api/client'
import type { Draft } from './useDraft'

/** What may explain the complaint, each with its state and the exhibits for and against it. */
interface Props {
  draft: Draft
  hypotheses: [string, Hypothesis][]
  exhibits: Exhibit[]
  fixed: boolean
}
const props = defineProps<Props>()
const STATES = ['open', 'supported', 'excluded'] as const
const numbers = computed(() => new Map(props.exhibits.map(({ id, number }) => [id, number])))
const listed = (ids: string[]): string =>
  ids
    .flatMap((id) => numbers.value.get(id) ?? [])
    .sort((a, b) => a - b)
    .join(', ')
function change(id: string, item: Hypothesis, more: Partial<Hypothesis>): void {
  props.draft.set(`hypotheses/${id}`, { ...item, ...more })
}
function add(): void {
  const last = props.hypotheses.at(-1)?.[1].place ?? 0
  props.draft.set(`hypotheses/${crypto.randomUUID()}`, {
    text: '',
    state: 'open',
    supporting: [],
    opposing: [],
    place: last + 1,
    finding: '',
  })
}
const textOf = (event: Event): string =>
  event.target instanceof HTMLTextAreaElement || event.target instanceof HTMLSelectElement
    ? event.target.value
    : ''
</script>

<template>
  <section aria-label="Hypotheses">
    <h2 class="font-serif font-semibold">Hypotheses</h2>
    <ul>
      <li v-for="[id, item] in hypotheses" :key="id" class="border-b border-rule py-1" data-hypothesis>
        <div class="flex items-baseline gap-2">
          <select
            :value="item.state"
            class="shrink-0 bg-transparent disabled:opacity-100"
            :class="item.state === 'supported' ? 'font-semibold' : 'text-soft'"
            :aria-label="`State of “${item.text}”`"
            :disabled="fixed"
            @change="change(id, item, { state: textOf($event) as Hypothesis['state'] })"
          >
            <option v-for="state in STATES" :key="state" :value="state">{{ state }}</option>
          </select>
          <textarea
            :value="item.text"
            rows="1"
            maxlength="4000"
            class="w-full min-w-0 resize-none bg-transparent [field-sizing:content]"
            :class="item.state === 'excluded' ? 'text-soft' : ''"
            placeholder="what may explain it"
            aria-label="Hypothesis"
            :readonly="fixed"
            @input="change(id, item, { text: textOf($event) })"
            @blur="draft.flush()"
          />
          <button
            v-if="!fixed"
            type="button"
            class="text-soft hover:text-needle"
            :aria-label="`Remove the hypothesis “${item.text}”`"
            @click="draft.set(`hypotheses/${id}`, null)"
          >
            ×
          </button>
        </div>
        <p v-if="listed(item.supporting) || listed(item.opposing)" class="text-2xs text-soft">
          <template v-if="listed(item.supporting)">for it {{ listed(item.supporting) }}</template>
          <template v-if="listed(item.supporting) && listed(item.opposing)"> · </template>
          <template v-if="listed(item.opposing)">against it {{ listed(item.opposing) }}</template>
        </p>
      </li>
    </ul>
    <p v-if="!hypotheses.length && fixed" class="text-soft italic">none</p>
    <button
      v-if="!fixed"
      type="button"
      class="mt-1 text-soft hover:text-needle"
      data-add-hypothesis
      @click="add"
    >
      + another
    </button>
  </section>
</template>
