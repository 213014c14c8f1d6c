<script setup lang="ts">
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'

/** A choice in the bar of layouts: its button says what is chosen, its list hangs below. */
interface Props {
  label: string
  title: string
  /** Whether what is shown is of this choice. */
  active: boolean
  chosen: string
  options: { value: string; label: string; title?: string }[]
  /** What tests and styles know the button by. */
  name: string
}
defineProps<Props>()
const emit = defineEmits<{ choose: [value: string] }>()
</script>

<template>
  <Listbox
    as="div"
    class="relative"
    :model-value="chosen"
    @update:model-value="emit('choose', $event as string)"
  >
    <ListboxButton
      class="max-w-40 truncate font-serif text-[15px] italic hover:text-ink"
      :class="active ? 'font-semibold text-ink' : ''"
      :title="title"
      :data-layout="name"
      >{{ label }} ▾</ListboxButton
    >
    <ListboxOptions
      class="absolute top-full left-0 z-40 mt-1 max-h-[50vh] overflow-y-auto border border-rule-strong bg-leaf py-1 text-ink shadow-lg outline-none"
    >
      <ListboxOption
        v-for="option in options"
        :key="option.value"
        v-slot="{ active: pointed, selected }"
        :value="option.value"
        as="template"
      >
        <li
          class="cursor-pointer px-4 py-0.5"
          :class="[pointed ? 'bg-rule/50' : '', selected ? 'font-semibold' : '']"
          :title="option.title"
        >
          {{ option.label }}
        </li>
      </ListboxOption>
    </ListboxOptions>
  </Listbox>
</template>
