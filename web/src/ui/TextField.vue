<script setup lang="ts">
import { useId } from 'vue'

/** A line to write on, with what is wrong with it underneath. */
interface Props {
  label: string
  hint?: string
  wrong?: string
  /** Shown, but not to be changed. */
  fixed?: boolean
}
defineProps<Props>()
const text = defineModel<string>({ required: true })
const id = useId()
</script>

<template>
  <div>
    <label :for="id" class="text-2xs text-soft">{{ label }}</label>
    <input
      :id="id"
      v-model="text"
      class="block w-full border-b bg-transparent py-0.5 placeholder:text-soft/70 read-only:text-soft"
      :class="wrong ? 'border-needle' : 'border-rule-strong'"
      :placeholder="hint"
      :readonly="fixed"
      :aria-invalid="Boolean(wrong)"
      :aria-describedby="wrong ? `${id}-wrong` : undefined"
      spellcheck="false"
      autocomplete="off"
    />
    <p v-if="wrong" :id="`${id}-wrong`" class="text-2xs text-needle">{{ wrong }}</p>
  </div>
</template>
