<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

/** A sheet over the page: a title, what it holds, and a foot. Escape and a press beside it close it. */
withDefaults(defineProps<{ title: string; open?: boolean; width?: string }>(), {
  open: true,
  width: 'max-w-2xl',
})
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <Dialog :open="open" class="relative z-50" @close="emit('close')">
    <div class="fixed inset-0 bg-ink/30" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-6">
      <DialogPanel
        class="flex max-h-full w-full flex-col border border-rule-strong bg-leaf shadow-xl"
        :class="width"
      >
        <header class="border-b border-rule px-6 pt-5 pb-3">
          <DialogTitle class="font-serif text-xl font-semibold [overflow-wrap:anywhere]">{{
            title
          }}</DialogTitle>
          <slot name="head" />
        </header>
        <div class="grow space-y-5 overflow-y-auto px-6 py-4" role="region" tabindex="0" :aria-label="title">
          <slot />
        </div>
        <footer class="flex items-center gap-3 border-t border-rule px-6 py-3"><slot name="foot" /></footer>
      </DialogPanel>
    </div>
  </Dialog>
</template>
