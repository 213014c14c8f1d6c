<script setup lang="ts">
import { provide, useId } from 'vue'
import type { Counter } from '../api/client'
import { CATALOGUE } from './fields'

/** What stands under each name of a file, and what it is read as: a row a name, in the slot. */
defineProps<{ first: string; drawn: string; catalogue: Counter[] }>()
// Several files may be looked at on one page.
const id = useId()
provide(CATALOGUE, id)
</script>

<template>
  <div class="mt-3 max-h-96 overflow-y-auto" tabindex="0" role="region" aria-label="Columns">
    <datalist :id="id">
      <option v-for="counter in catalogue" :key="counter.name" :value="counter.name">
        {{ counter.title }}
      </option>
    </datalist>
    <table class="w-full table-fixed">
      <thead class="text-left text-2xs text-soft">
        <tr class="border-b border-rule-strong">
          <th class="w-[24%] py-1 font-normal" scope="col">{{ first }}</th>
          <th class="font-normal" scope="col">a counter of ours, or a name of its own</th>
          <th class="w-36 font-normal" scope="col">kind</th>
          <th class="w-20 font-normal" scope="col">unit</th>
          <th class="w-40 font-normal" scope="col">scale</th>
          <th class="w-[160px] font-normal" scope="col">{{ drawn }}</th>
        </tr>
      </thead>
      <tbody>
        <slot />
      </tbody>
    </table>
  </div>
</template>
