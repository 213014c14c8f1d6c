<script setup lang="ts">
import { computed, ref } from 'vue'
import { scaleFor, spellNumber, type Scale, type Unit } from '../model/amounts'
import type { Resource } from '../model/strips'
import DeviceName from '../names/DeviceName.vue'
import { useNames, type DeviceKind } from '../names/useNames'
import type { OfDevices, Readings } from './readings'

export interface DeviceColumn {
  title: string
  measure: OfDevices
  unit: Unit
  /** A hairline bar under the number, against the column's highest. */
  bar?: boolean
}

/** Devices with their numbers, sortable by any column. */
interface Props {
  kind: DeviceKind
  resource: Resource
  /** Heaviest first. */
  devices: string[]
  /** How many more did nothing. */
  idle: number
  columns: DeviceColumn[]
  readings: Readings
  /** The pinned moment's, to compare with. */
  then: Readings | null
}
const props = defineProps<Props>()

const names = useNames()
const MANY = 6
const search = ref('')
const sortedBy = ref<OfDevices | null>(null)
const rows = computed(() => {
  const by = sortedBy.value
  const wanted = search.value.trim().toLowerCase()
  const found = props.devices.filter(
    (device) =>
      device.toLowerCase().includes(wanted) ||
      names.labelOf(props.kind, device).toLowerCase().includes(wanted),
  )
  if (by === null) return found
  return found.sort((a, b) => (props.readings.of(by, b) ?? -1) - (props.readings.of(by, a) ?? -1))
})
const share = (column: DeviceColumn, device: string): number => {
  const most = Math.max(...props.devices.map((each) => props.readings.of(column.measure, each) ?? 0))
  return most > 0 ? (props.readings.of(column.measure, device) ?? 0) / most : 0
}
/** One scale a column, so that its numbers compare at a glance; the unit stands in its head. */
const scales = computed(
  () =>
    new Map<string, Scale>(
      props.columns.map((column) => [
        column.measure,
        scaleFor(
          column.unit,
          Math.max(
            0,
            ...props.devices.flatMap((each) => [
              props.readings.of(column.measure, each) ?? 0,
              props.then?.of(column.measure, each) ?? 0,
            ]),
          ),
        ),
      ]),
    ),
)
const scaleOf = (column: DeviceColumn): Scale => scales.value.get(column.measure) ?? scaleFor(column.unit, 0)
const sort = (measure: OfDevices): void => {
  sortedBy.value = sortedBy.value === measure ? null : measure
}
</script>

<template>
  <input
    v-if="devices.length > MANY"
    v-model="search"
    type="search"
    :placeholder="`which ${kind}`"
    :aria-label="`Filter by ${kind}`"
    class="mb-1 w-full border-b border-rule bg-transparent py-0.5 placeholder:text-soft"
  />
  <table class="w-full">
    <thead class="text-2xs text-soft">
      <tr>
        <th class="text-left align-top font-normal">{{ kind }}</th>
        <th
          v-for="column in columns"
          :key="column.measure"
          class="pl-2 text-right align-top font-normal"
          :aria-sort="sortedBy === column.measure ? 'descending' : 'none'"
        >
          <button
            type="button"
            class="hover:text-ink"
            :class="sortedBy === column.measure ? 'text-ink underline' : ''"
            @click="sort(column.measure)"
          >
            {{ column.title }}
          </button>
          <br />{{ scaleOf(column).unit }}
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="device in rows" :key="device" class="border-t border-rule">
        <td class="max-w-20 py-0.5 align-top"><DeviceName :kind="kind" :device="device" /></td>
        <td v-for="column in columns" :key="column.measure" class="relative py-0.5 text-right">
          {{ spellNumber(readings.of(column.measure, device), scaleOf(column)) }}
          <span v-if="then" class="block text-[10px] leading-3 text-soft" data-was
            >was {{ spellNumber(then.of(column.measure, device), scaleOf(column)) }}</span
          >
          <span
            v-if="column.bar"
            class="absolute right-0 bottom-0 h-[2px]"
            :style="{ width: `${share(column, device) * 88}%`, background: `var(--color-${resource})` }"
          />
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="idle" class="mt-0.5 text-2xs text-soft">
    {{ devices.length ? `${idle} more did nothing` : `none of ${idle} did anything` }}
  </p>
</template>
