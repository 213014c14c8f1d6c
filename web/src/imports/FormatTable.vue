<script setup lang="ts">
import { useFormats } from '../api/imports'

/** All formats: what goes out, what comes in, and what each loses. */
const { data: formats } = useFormats()
const goes = (writes: string | null, reads: boolean): string =>
  [writes === 'archive' ? 'archives out' : writes ? 'measures out' : null, reads ? 'in' : null]
    .filter(Boolean)
    .join(', ')
</script>

<template>
  <table class="w-full">
    <thead class="text-left text-2xs text-soft">
      <tr class="border-b border-rule-strong">
        <th class="py-1 pr-4 font-normal" scope="col">format</th>
        <th class="pr-4 font-normal" scope="col">ending</th>
        <th class="pr-4 font-normal" scope="col">goes</th>
        <th class="pr-4 font-normal" scope="col">carries</th>
        <th class="font-normal" scope="col">loses</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="item in formats ?? []" :key="item.name" class="border-b border-rule/60 align-top">
        <td class="py-1 pr-4 whitespace-nowrap">{{ item.title }}</td>
        <td class="pr-4 whitespace-nowrap text-soft">{{ item.extensions.join(' ') }}</td>
        <td class="pr-4 whitespace-nowrap">{{ goes(item.writes, item.reads) }}</td>
        <td class="pr-4">{{ item.carries }}</td>
        <td class="text-soft">{{ item.loses }}</td>
      </tr>
    </tbody>
  </table>
</template>
