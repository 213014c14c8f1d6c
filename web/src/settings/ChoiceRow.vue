<script setup lang="ts" generic="T extends string">
import { useId } from 'vue'

/** One setting: what it is of, and its choices side by side. */
defineProps<{
  legend: string
  choices: readonly { value: T; label: string; disabled?: boolean }[]
  note?: string
}>()
const chosen = defineModel<T>({ required: true })
const id = useId()
</script>

<template>
  <fieldset class="grid grid-cols-[9rem_1fr] items-baseline gap-x-4">
    <legend class="sr-only">{{ legend }}</legend>
    <span class="text-soft" aria-hidden="true">{{ legend }}</span>
    <div>
      <div class="flex flex-wrap gap-x-5 gap-y-1">
        <label v-for="choice in choices" :key="choice.value" class="flex items-center gap-1.5">
          <input
            v-model="chosen"
            type="radio"
            class="accent-ink"
            :name="id"
            :value="choice.value"
            :disabled="choice.disabled"
          />{{ choice.label }}
        </label>
      </div>
      <p v-if="note" class="text-2xs text-soft">{{ note }}</p>
    </div>
  </fieldset>
</template>
