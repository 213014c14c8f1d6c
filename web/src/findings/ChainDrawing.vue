<script setup lang="ts">
import type { Stage } from './chain'
import { titleOf } from './chain'

/** Cause and effect, as a small tree: the cause on top, what it brought about hanging from it. */
defineProps<{ stages: Stage[]; here: string }>()
defineEmits<{ find: [id: string] }>()
</script>

<template>
  <section data-chain>
    <h3 class="font-semibold">Cause and effect</h3>
    <ol class="mt-1">
      <li
        v-for="stage in stages"
        :key="stage.finding.id"
        class="relative py-0.5"
        :style="{ paddingLeft: `${stage.depth * 16 + 10}px` }"
      >
        <span
          v-if="stage.depth"
          class="absolute top-0 h-3 w-2.5 border-b border-l border-rule-strong"
          :style="{ left: `${(stage.depth - 1) * 16 + 13}px` }"
          aria-hidden="true"
        />
        <button
          type="button"
          class="border-l-[3px] pl-1.5 text-left hover:text-needle"
          :class="stage.finding.id === here ? 'font-semibold' : ''"
          :style="{ borderColor: `var(--color-${stage.finding.resource})` }"
          :aria-current="stage.finding.id === here"
          @click="$emit('find', stage.finding.id)"
        >
          {{ titleOf(stage.finding) }}
        </button>
      </li>
    </ol>
  </section>
</template>
