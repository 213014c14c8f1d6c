<script setup lang="ts">
import type { Pin } from '../api/client'
import { usePinning } from './usePinning'

/** Pins what it stands beside: the same as its key. */
const props = defineProps<{ what: () => Pin | null; label: string }>()
const pinning = usePinning()
function press(): void {
  const pin = props.what()
  if (pin) pinning.pin(pin)
  else pinning.say('There is nothing to pin here yet.')
}
</script>

<template>
  <button
    type="button"
    class="text-2xs whitespace-nowrap text-soft underline decoration-rule-strong underline-offset-2 hover:text-needle print:hidden"
    :aria-label="label"
    :title="`${label} (X, with the pointer here)`"
    aria-keyshortcuts="X"
    data-pin-exhibit
    @click="press"
  >
    exhibit
  </button>
</template>
