<script setup lang="ts">
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { reactive, useTemplateRef } from 'vue'
import type { StrainRow } from '../api/client'

/** The name of a resource's row: opens its devices, and says how its strain comes about. */
defineProps<{ row: StrainRow; title: string; open: boolean }>()
defineEmits<{ toggle: [] }>()

// The rows scroll, and would cut off what hangs below them.
const holder = useTemplateRef<HTMLDivElement>('holder')
const place = reactive({ left: '0', top: '0' })
function settle(): void {
  const box = holder.value?.getBoundingClientRect()
  if (box) Object.assign(place, { left: `${box.left + 18}px`, top: `${box.bottom + 4}px` })
}
</script>

<template>
  <div ref="holder" class="flex h-full items-center gap-1 pl-[18px]">
    <button
      v-if="row.has_devices"
      type="button"
      class="flex grow items-center gap-1 text-left hover:text-needle"
      :aria-expanded="open"
      :title="open ? `Close the devices of ${title}` : `Open ${title} to its devices`"
      @click="$emit('toggle')"
    >
      <span class="w-2.5 text-2xs text-soft" aria-hidden="true">{{ open ? '▾' : '▸' }}</span>{{ title }}
    </button>
    <span v-else class="grow pl-3.5">{{ title }}</span>
    <Popover class="relative flex">
      <PopoverButton
        class="px-1 text-2xs text-soft hover:text-needle"
        :aria-label="`How the strain of ${title} is computed`"
        @click="settle"
        >how</PopoverButton
      >
      <Teleport to="body">
        <PopoverPanel
          class="fixed z-50 w-[380px] border border-rule-strong bg-leaf p-3 shadow-xl"
          :style="place"
          data-strain-help
        >
          <h3 class="font-serif text-[15px] font-semibold">How strain of {{ title }} comes about</h3>
          <p class="mt-1">{{ row.help }}</p>
          <p class="mt-1 text-soft">{{ row.formula }}</p>
          <p class="mt-1 text-soft">
            A cell is the mean of its time; the thin line along its top is the highest in it. It is a picture
            for finding the time, not a verdict: that is what findings are for.
          </p>
        </PopoverPanel></Teleport
      >
    </Popover>
    <span class="h-[11px] w-[3px]" :style="{ background: `var(--color-${row.resource})` }" />
  </div>
</template>
