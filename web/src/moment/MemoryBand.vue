<script setup lang="ts">
import { computed } from 'vue'
import { scaleFor, spellNumber } from '../model/amounts'
import { memoryParts, type Readings } from './readings'

/** One band whose parts add up to the total. */
const props = defineProps<{ readings: Readings }>()

const parts = computed(() => memoryParts(props.readings))
const total = computed(() => parts.value.reduce((sum, part) => sum + part.bytes, 0))
const scale = computed(() => ({ ...scaleFor('bytes', total.value), digits: 1 }))
const visible = computed(() => parts.value.filter((part) => part.bytes / scale.value.by >= 0.05))
const sentence = computed(() =>
  visible.value.map((part) => `${part.label} ${spellNumber(part.bytes, scale.value)}`).join(' · '),
)
</script>

<template>
  <div
    class="flex h-4 border border-rule-strong"
    role="img"
    :aria-label="`Memory in ${scale.unit}: ${sentence}`"
  >
    <div
      v-for="part in parts"
      :key="part.name"
      :style="{
        width: `${(part.bytes / total) * 100}%`,
        background: `color-mix(in srgb, var(--color-memory) ${part.weight * 100}%, var(--color-leaf))`,
      }"
      :title="`${part.label} ${spellNumber(part.bytes, scale)} ${scale.unit}`"
    />
  </div>
  <p class="mt-1 text-2xs text-soft">{{ sentence }} {{ scale.unit }}</p>
</template>
