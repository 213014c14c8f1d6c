<script setup lang="ts">
/** For those who go by keys: over what every page begins with, straight to its parts. Seen only while one has the focus. */
defineProps<{ targets: readonly { id: string; label: string }[] }>()

function go(id: string): void {
  const target = document.getElementById(id)
  target?.focus()
  target?.scrollIntoView({ block: 'nearest' })
}
</script>

<template>
  <nav aria-label="Skip to" class="print:hidden">
    <a
      v-for="target in targets"
      :key="target.id"
      :href="`#${target.id}`"
      class="sr-only focus:not-sr-only focus:absolute focus:top-1 focus:left-1 focus:z-50 focus:border focus:border-ink focus:bg-leaf focus:px-3 focus:py-1.5"
      @click.prevent="go(target.id)"
      >{{ target.label }}</a
    >
  </nav>
</template>
