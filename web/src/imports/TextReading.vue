<script setup lang="ts">
import { computed } from 'vue'
import type { Counter } from '../api/client'
import type { Look, TextLayout } from '../api/imports'
import { TIME_FORMS } from './mapping'
import NameTable from './NameTable.vue'
import { textOf } from './fields'
import { isHead, readLines, roleOf, ROLES, turned, withHead } from './textLayout'

/** Printed text: its first lines word by word, to be marked, and what is read of them. */
const props = defineProps<{ look: Look; layout: TextLayout; catalogue: Counter[] }>()
const emit = defineEmits<{ change: [layout: TextLayout] }>()

const forms = computed(() => {
  const known = [{ form: 'time', title: '01:00:00, a time of day alone' }, ...TIME_FORMS]
  return known.some(({ form }) => form === props.layout.form)
    ? known
    : [{ form: props.layout.form, title: props.layout.form }, ...known]
})
const isMarked = computed(() => props.layout.shape !== 'pairs')
function set(part: Partial<TextLayout>): void {
  emit('change', { ...props.layout, ...part })
}
function setShape(event: Event): void {
  const shape = textOf(event)
  if (shape === 'columns' || shape === 'pairs' || shape === 'blocks') set({ shape })
}
</script>

<template>
  <div>
    <div class="mt-3 flex flex-wrap items-end gap-x-5 gap-y-2">
      <label>
        <span class="block text-2xs text-soft">shape</span>
        <select class="h-7 border-b border-rule-strong bg-leaf" :value="layout.shape" @change="setShape">
          <option value="columns">columns under a head</option>
          <option value="pairs">name=value</option>
          <option value="blocks">blocks, each with its time</option>
        </select>
      </label>
      <label>
        <span class="block text-2xs text-soft">times written as</span>
        <select
          class="h-7 border-b border-rule-strong bg-leaf"
          :value="layout.form"
          @change="set({ form: textOf($event) })"
        >
          <option v-for="known in forms" :key="known.form" :value="known.form">{{ known.title }}</option>
        </select>
      </label>
      <label v-if="layout.form === 'time'">
        <span class="block text-2xs text-soft">begins on the day</span>
        <input
          type="date"
          class="h-7 border-b border-rule-strong bg-transparent"
          :value="layout.date ?? ''"
          @change="set({ date: textOf($event) || null })"
        />
      </label>
      <label>
        <span class="block text-2xs text-soft">zone, where it has none</span>
        <input
          class="h-7 w-36 border-b border-rule-strong bg-transparent"
          :value="layout.zone"
          spellcheck="false"
          @change="set({ zone: textOf($event) || 'UTC' })"
        />
      </label>
      <label v-if="layout.shape === 'blocks'">
        <span class="block text-2xs text-soft">a block begins with</span>
        <input
          class="h-7 w-48 border-b border-rule-strong bg-transparent"
          :value="layout.begin"
          spellcheck="false"
          @change="set({ begin: textOf($event) })"
        />
      </label>
      <label>
        <span class="block text-2xs text-soft">leave out lines that begin with</span>
        <textarea
          rows="1"
          class="block h-7 w-48 resize-y border-b border-rule-strong bg-transparent pt-1"
          :value="layout.ignore.join('\n')"
          spellcheck="false"
          @change="set({ ignore: readLines(textOf($event)) })"
        />
      </label>
    </div>
    <p class="mt-3 text-soft">
      The first lines.
      <template v-if="isMarked"
        >Press a line’s number to make it the head; press a word of the head until it is what it is:
        <b class="font-semibold text-needle">says when</b>, <u class="decoration-2">says of what</u>, or a
        value.</template
      >
    </p>
    <ol
      class="mt-1 max-h-64 overflow-auto border border-rule p-2 font-mono text-2xs"
      tabindex="0"
      aria-label="The first lines of the text"
    >
      <li v-for="(words, number) in look.heads" :key="number" class="flex gap-3 whitespace-nowrap">
        <button
          type="button"
          class="w-6 shrink-0 text-right text-soft hover:text-needle"
          :aria-label="`${number + 1}: make this line the head`"
          :disabled="!isMarked || !words.length"
          @click="emit('change', withHead(layout, words))"
        >
          {{ number + 1 }}
        </button>
        <template v-for="(word, place) in words" :key="place">
          <button
            v-if="isMarked && isHead(layout, words)"
            type="button"
            class="font-semibold"
            :class="{
              'text-needle': roleOf(layout, place) === 'time',
              'underline decoration-2 underline-offset-2': roleOf(layout, place) === 'device',
            }"
            :aria-label="`${word}: ${ROLES[roleOf(layout, place)]}`"
            :data-word="roleOf(layout, place)"
            @click="emit('change', turned(layout, place))"
          >
            {{ word }}
          </button>
          <span v-else :class="isHead(layout, words) ? 'font-semibold' : ''">{{ word }}</span>
        </template>
      </li>
    </ol>
    <NameTable
      v-if="look.names.length"
      :names="look.names"
      :meanings="layout.names"
      drawn="over the first lines"
      :catalogue="catalogue"
      @change="set({ names: $event })"
    />
  </div>
</template>
