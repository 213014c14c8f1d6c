<script setup lang="ts">
/** A key as printed on a keyboard. */
defineProps<{ name: string }>()
</script>

<template>
  <kbd
    class="inline-block min-w-5 rounded-sm border border-rule-strong bg-leaf px-1 text-center font-sans text-2xs text-soft"
    >{{ name }}</kbd
  >
</template>
