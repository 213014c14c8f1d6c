<script setup lang="ts">
/** A small table: names to the left, numbers to the right, hairlines between. */
interface Column {
  title: string
  /** Printed under the title, such as a unit. */
  unit?: string
  left?: boolean
}
interface Props {
  caption: string
  columns: Column[]
  rows: { key: string; cells: string[]; title?: string }[]
}
defineProps<Props>()
</script>

<template>
  <table class="w-full">
    <caption class="sr-only">
      {{
        caption
      }}
    </caption>
    <thead>
      <tr class="text-2xs text-soft">
        <th
          v-for="column in columns"
          :key="column.title"
          scope="col"
          class="border-b border-rule-strong pr-4 pb-0.5 align-bottom font-normal last:pr-0"
          :class="column.left ? 'text-left' : 'text-right'"
        >
          {{ column.title }}<template v-if="column.unit"><br />{{ column.unit }}</template>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.key" class="border-b border-rule/60" :title="row.title" data-row>
        <td
          v-for="(cell, at) in row.cells"
          :key="at"
          class="py-0.5 pr-4 last:pr-0"
          :class="columns[at]?.left ? 'max-w-96 truncate text-left' : 'text-right'"
        >
          {{ cell }}
        </td>
      </tr>
    </tbody>
  </table>
</template>
