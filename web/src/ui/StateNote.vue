<script setup lang="ts">
/** What stands where data would: nothing yet, still loading, or what went wrong and what to do next. */
interface Props {
  title: string
  /** One sentence with a next step. */
  hint?: string
  busy?: boolean
  /** Whether it is all that the page has to say, and so its main part. */
  whole?: boolean
}
defineProps<Props>()
</script>

<template>
  <component
    :is="whole ? 'main' : 'div'"
    class="mx-auto flex max-w-md flex-col items-center gap-2 px-6 py-16 text-center"
    :aria-busy="busy"
  >
    <svg viewBox="0 0 120 24" class="w-32 text-rule-strong" aria-hidden="true">
      <path
        d="M0 16h26l7-10 9 15 8-19 7 18 5-4h58"
        fill="none"
        stroke="currentColor"
        stroke-width="1.5"
        :class="busy ? 'pen' : ''"
      />
    </svg>
    <component :is="whole ? 'h1' : 'h2'" class="font-serif text-lg font-semibold">{{ title }}</component>
    <p v-if="hint" class="text-soft">{{ hint }}</p>
    <slot />
  </component>
</template>

<style scoped>
.pen {
  stroke-dasharray: 170;
  animation: draw 1.6s ease-in-out infinite;
}
@keyframes draw {
  from {
    stroke-dashoffset: 170;
  }
  to {
    stroke-dashoffset: 0;
  }
}
@media (prefers-reduced-motion: reduce) {
  .pen {
    animation: none;
  }
}
</style>
