<script setup lang="ts">
import type { OfDevices, Readings } from './readings'

/** Cores as a row of small columns, filled from below; idle with a task waiting for I/O is hatched above. */
interface Props {
  cores: string[]
  readings: Readings
}
const props = defineProps<Props>()

const percent = (measure: OfDevices, core: string): number => (props.readings.of(measure, core) ?? 0) * 100
/** With the share where there is room for it. */
const labelOf = (core: string): string =>
  props.cores.length <= 4 ? `${core} · ${percent('cpu.busy', core).toFixed(0)}\u2009%` : core
</script>

<template>
  <ol class="flex flex-wrap gap-1" aria-label="Busy share of each core">
    <li
      v-for="core in cores"
      :key="core"
      class="max-w-16 min-w-6 flex-1"
      :title="`core ${core}: ${percent('cpu.busy', core).toFixed(0)} % busy`"
    >
      <div class="relative h-9 border border-rule-strong bg-paper">
        <div
          class="absolute inset-x-0 bottom-0 bg-processor"
          :style="{ height: `${percent('cpu.busy', core)}%` }"
        />
        <div
          class="hatched absolute inset-x-0"
          :style="{ bottom: `${percent('cpu.busy', core)}%`, height: `${percent('cpu.iowait', core)}%` }"
        />
      </div>
      <p class="text-center text-[10px] leading-4 whitespace-nowrap text-soft">{{ labelOf(core) }}</p>
    </li>
  </ol>
</template>
