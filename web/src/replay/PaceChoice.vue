<script setup lang="ts">
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { PACES, type Pace } from '../model/playback'

/** How many seconds of the archive pass in one of ours. */
defineProps<{ pace: Pace }>()
defineEmits<{ choose: [pace: Pace] }>()
</script>

<template>
  <Listbox
    as="div"
    class="relative"
    :model-value="pace"
    @update:model-value="$emit('choose', $event as Pace)"
  >
    <ListboxButton
      class="rounded-full border border-rule-strong bg-leaf px-3 py-0.5 hover:border-ink"
      :aria-label="`Pace ×${pace}`"
      title="Pace ([ slower, ] faster)"
      >×{{ pace }}</ListboxButton
    >
    <ListboxOptions
      class="absolute bottom-full left-0 z-40 mb-1 border border-rule-strong bg-leaf py-1 shadow-lg outline-none"
    >
      <ListboxOption
        v-for="each in PACES"
        :key="each"
        v-slot="{ active, selected }"
        :value="each"
        as="template"
      >
        <li
          class="cursor-pointer px-4 py-0.5 whitespace-nowrap"
          :class="[active ? 'bg-rule/50' : '', selected ? 'font-semibold' : '']"
        >
          ×{{ each }} <span class="text-soft">{{ each === 1 ? 'as it was' : `${each} s in one` }}</span>
        </li>
      </ListboxOption>
    </ListboxOptions>
  </Listbox>
</template>
