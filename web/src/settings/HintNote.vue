<script setup lang="ts">
import { HINTS, useHints, type HintPlace } from './useHints'

/** What is worth knowing about a place on the first visit; it is put away for good. */
defineProps<{ place: HintPlace }>()
const hints = useHints()
</script>

<template>
  <p
    v-if="hints.isShown(place)"
    class="flex shrink-0 items-baseline gap-4 border-b border-rule bg-leaf px-[18px] py-1 text-2xs text-soft print:hidden"
    role="note"
    data-hint
  >
    <span class="min-w-0 grow">{{ HINTS[place] }}</span>
    <button
      type="button"
      class="whitespace-nowrap underline hover:text-needle"
      title="This does not come back; the settings bring it back"
      @click="hints.putAway(place)"
    >
      got it
    </button>
  </p>
</template>
