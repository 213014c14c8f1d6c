<script setup lang="ts">
/** The one kind of button, with the key that does the same. */
interface Props {
  /** What it does, for those who cannot see it. */
  label: string
  /** The key that does the same, shown on hover and read out. */
  keys?: string
  /** Pressed in, as a switch that is on. */
  on?: boolean
  disabled?: boolean
}
defineProps<Props>()
defineEmits<{ press: [] }>()
</script>

<template>
  <button
    type="button"
    class="rounded-full border px-3 py-0.5 whitespace-nowrap transition-colors disabled:opacity-40"
    :class="on ? 'border-ink bg-ink text-leaf' : 'border-rule-strong bg-leaf hover:border-ink'"
    :aria-label="label"
    :aria-keyshortcuts="keys"
    :aria-pressed="on"
    :title="keys ? `${label} (${keys})` : label"
    :disabled="disabled"
    @click="$emit('press')"
  >
    <slot />
  </button>
</template>
