<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { computed, toRef } from 'vue'
import { useFacts } from '../api/queries'
import { spellDay, spellTime, type Zone } from '../model/clock'
import { changesOf, spellFacts } from './facts'
import { useNames } from './useNames'

/** What is known of the host, and how that changed while it was recorded. */
const props = defineProps<{ archiveId: string; about: string; zone: Zone }>()
const { data: history } = useFacts(toRef(props, 'archiveId'))
const newest = computed(() => history.value?.[history.value.length - 1])
const facts = computed(() => (newest.value ? spellFacts(newest.value.facts) : []))
const names = useNames()
const labelled = (name: string): string => {
  const called = names.calledOf('disk', name) ?? names.calledOf('interface', name)
  return called ? `${called} (${name})` : name
}
const changes = computed(() => changesOf(history.value ?? []))
</script>

<template>
  <Popover class="relative ml-2 inline-block text-soft">
    <PopoverButton class="hover:text-ink" title="What is known of this host">{{ about }}</PopoverButton>
    <PopoverPanel
      class="absolute top-full left-0 z-40 mt-2 max-h-[70vh] w-[420px] overflow-y-auto border border-rule-strong bg-leaf p-4 whitespace-normal text-ink shadow-xl"
      data-host-facts
    >
      <h2 class="font-serif text-[15px] font-semibold">The host</h2>
      <dl class="mt-1 grid grid-cols-[7rem_1fr] gap-x-3">
        <template v-for="[name, value] in facts" :key="name">
          <dt class="border-t border-rule py-0.5 text-soft">{{ labelled(name) }}</dt>
          <dd class="border-t border-rule py-0.5 break-words">{{ value }}</dd>
        </template>
      </dl>
      <h2 class="mt-3 font-serif text-[15px] font-semibold">What changed</h2>
      <p v-if="!changes.length" class="text-soft">Nothing, since this archive began.</p>
      <ul v-else>
        <li v-for="change in changes" :key="change.at" class="border-t border-rule py-1">
          <span class="text-2xs text-soft"
            >{{ spellDay(change.at, zone) }} {{ spellTime(change.at, zone) }}</span
          >
          <p v-for="line in change.lines" :key="line">{{ line }}</p>
        </li>
      </ul>
    </PopoverPanel>
  </Popover>
</template>
