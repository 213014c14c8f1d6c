<script setup lang="ts">
import { computed } from 'vue'
import type { Counter } from '../api/client'
import type { LookName, Meanings } from '../api/imports'
import MeaningEditor from './MeaningEditor.vue'
import MeaningTable from './MeaningTable.vue'
import { namesOf, withName } from './names'

/** What names mean, where each value has one: in a table with a row a value, and in printed text. */
const props = defineProps<{ names: LookName[]; meanings: Meanings; drawn: string; catalogue: Counter[] }>()
const emit = defineEmits<{ change: [meanings: Meanings] }>()
const every = computed(() => namesOf(props.names, props.meanings))
</script>

<template>
  <MeaningTable first="name, of what, first values" :drawn="drawn" :catalogue="catalogue">
    <MeaningEditor
      v-for="each in every"
      :key="each.name"
      :label="each.name"
      :devices="each.devices"
      :cells="each.cells"
      :values="each.values"
      :meaning="each.meaning"
      :catalogue="catalogue"
      @change="emit('change', withName(meanings, each, $event))"
    />
  </MeaningTable>
</template>
