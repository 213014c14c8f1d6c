<script setup lang="ts">
/** A section's title, and its sum at the other end of the line. */
defineProps<{ title: string; note: string }>()
</script>

<template>
  <div class="mb-1 flex items-baseline justify-between gap-3">
    <h2 class="font-serif text-[15px] font-semibold">{{ title }}</h2>
    <p class="truncate text-2xs text-soft">{{ note }}</p>
  </div>
</template>
