<script setup lang="ts">
import { KEYS } from '../replay/keys'
import KeyCap from './KeyCap.vue'
import PillButton from './PillButton.vue'
import SheetDialog from './SheetDialog.vue'

defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()
const close = (): void => {
  emit('close')
}
</script>

<template>
  <SheetDialog title="Keys" width="max-w-md" :open="open" @close="close">
    <dl class="grid grid-cols-[7rem_1fr] gap-y-1.5">
      <template v-for="entry in KEYS" :key="entry.label">
        <dt class="flex gap-1"><KeyCap v-for="name in entry.shown" :key="name" :name="name" /></dt>
        <dd>{{ entry.label }}</dd>
      </template>
    </dl>
    <p class="text-soft">
      On the strips: click puts the needle, drag zooms in, Shift and drag moves along, the wheel with Ctrl
      zooms.
    </p>
    <template #foot>
      <PillButton class="ml-auto" label="Close" keys="Esc" @press="close">Close</PillButton>
    </template>
  </SheetDialog>
</template>
