<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'
import { KEYS } from '../replay/keys'
import KeyCap from './KeyCap.vue'
import PillButton from './PillButton.vue'

defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()
const close = (): void => {
  emit('close')
}
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="close">
    <div class="fixed inset-0 bg-ink/30" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-6">
      <DialogPanel class="w-full max-w-md border border-rule-strong bg-leaf p-6 shadow-xl">
        <DialogTitle class="font-serif text-xl font-semibold">Keys</DialogTitle>
        <dl class="mt-3 grid grid-cols-[7rem_1fr] gap-y-1.5">
          <template v-for="entry in KEYS" :key="entry.label">
            <dt class="flex gap-1"><KeyCap v-for="name in entry.shown" :key="name" :name="name" /></dt>
            <dd>{{ entry.label }}</dd>
          </template>
        </dl>
        <p class="mt-4 text-soft">
          On the strips: click puts the needle, drag looks closer, Shift and drag moves along, the wheel with
          Ctrl zooms.
        </p>
        <div class="mt-4 text-right">
          <PillButton label="Close" keys="Esc" @press="close">Close</PillButton>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
