<script setup lang="ts">
import { computed, useId } from 'vue'
import type { Draft } from './useDraft'

/** A text of the investigation, written where it stands; it grows with what is written. */
interface Props {
  draft: Draft
  path: string
  label: string
  hint?: string
  fixed?: boolean
  /** Whether the label is to be seen, or only heard. */
  hidden?: boolean
  big?: boolean
}
const props = defineProps<Props>()
const id = useId()
const text = computed({
  get: () => props.draft.text(props.path),
  set: (now: string) => {
    props.draft.set(props.path, now)
  },
})
</script>

<template>
  <div :class="hidden ? '' : 'grid grid-cols-[5rem_minmax(0,1fr)] gap-x-2'">
    <label :for="id" class="pt-0.5 text-soft" :class="hidden ? 'sr-only' : ''">{{ label }}</label>
    <textarea
      :id="id"
      v-model="text"
      rows="1"
      maxlength="4000"
      class="block w-full resize-none border-b border-transparent bg-transparent py-0.5 [field-sizing:content] placeholder:text-soft placeholder:italic hover:border-rule-strong focus:border-rule-strong read-only:hover:border-transparent"
      :class="big ? 'font-serif text-[26px] leading-[1.2] font-semibold' : ''"
      :placeholder="fixed ? 'still open' : (hint ?? 'still open')"
      :readonly="fixed"
      :data-field="path"
      @blur="draft.flush()"
    />
  </div>
</template>
