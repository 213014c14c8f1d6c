<script setup lang="ts">
import { useStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Process, Processes } from '../api/client'
import { scaleFor, spellNumber, type Scale } from '../model/amounts'
import { historyOf } from '../model/layouts'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import {
  AMOUNTS,
  asTree,
  FIRST_COLUMNS,
  ioOf,
  named,
  rest,
  sorted,
  threadsOf,
  weightOf,
  type Amount,
  type Branch,
} from './processes'

/** The heaviest processes of the moment, sortable, and what the list does not account for. */
const props = defineProps<{ processes: Processes; then: Processes | null }>()

const SHOWN = 8
const bench = useWorkbench()
const board = useStrips()
const by = ref<Amount>('cpu')
const whole = ref(false)
const asChildren = ref(false)
const chosen = useStorage<Amount[]>('reditus.processColumns', FIRST_COLUMNS)
const withCore = useStorage('reditus.processCore', false)
const columns = computed(() => AMOUNTS.filter((column) => chosen.value.includes(column.key)))
const toggle = (key: Amount): void => {
  chosen.value = chosen.value.includes(key)
    ? chosen.value.filter((item) => item !== key)
    : [...chosen.value, key]
}

const found = computed<Branch[]>(() => {
  const wanted = named(props.processes.processes, bench.processFilter)
  return asChildren.value
    ? asTree(wanted, by.value)
    : sorted(wanted, by.value).map((item) => ({ process: item, depth: 0 }))
})
const shown = computed(() => (whole.value ? found.value : found.value.slice(0, SHOWN)))
const scales = computed(
  () =>
    new Map<Amount, Scale>(
      AMOUNTS.map(({ key, unit }) => [
        key,
        scaleFor(
          unit,
          Math.max(
            0,
            ...[...props.processes.processes, ...(props.then?.processes ?? [])].map((item) =>
              weightOf(item, key),
            ),
          ),
        ),
      ]),
    ),
)
const scaleOf = (key: Amount): Scale => scales.value.get(key) ?? scaleFor('count', 0)
const others = computed(() => rest(props.processes))
const before = (item: Process): Process | undefined =>
  props.then?.processes.find((other) => other.pid === item.pid && other.start === item.start)
const titleOf = (item: Process): string =>
  [
    item.arguments ?? item.name ?? 'unknown',
    `process ${item.pid}, child of ${item.parent ?? '–'}`,
    `user ${item.user ?? '–'}`,
    item.group ? `control group ${item.group}` : '',
    `${item.usage.threads} threads, last on core ${item.core}, state ${item.state}`,
    'Click for its own past',
  ]
    .filter(Boolean)
    .join('\n')

/** Its past, on top of the strips. */
function history(item: Process): void {
  for (const strip of historyOf(item).reverse()) board.add(strip.plan)
}
</script>

<template>
  <input
    v-model="bench.processFilter"
    type="search"
    placeholder="name, user, number or control group"
    aria-label="Filter processes"
    class="mb-1 w-full border-b border-rule bg-transparent py-0.5 placeholder:text-soft"
  />
  <details class="mb-1 text-2xs text-soft">
    <summary class="cursor-pointer hover:text-ink">columns, tree</summary>
    <div class="flex flex-wrap gap-x-3 py-0.5">
      <label v-for="column in AMOUNTS" :key="column.key" class="flex items-center gap-1" :title="column.help">
        <input
          type="checkbox"
          class="accent-ink"
          :checked="chosen.includes(column.key)"
          @change="toggle(column.key)"
        />{{ column.title }}
      </label>
      <label class="flex items-center gap-1" title="The core that it last ran on">
        <input v-model="withCore" type="checkbox" class="accent-ink" />last core
      </label>
      <label class="flex items-center gap-1" title="Children under their parents">
        <input v-model="asChildren" type="checkbox" class="accent-ink" />tree
      </label>
    </div>
  </details>
  <table class="w-full" data-processes>
    <thead class="text-2xs text-soft">
      <tr>
        <th class="text-left align-top font-normal">process</th>
        <th
          v-for="column in columns"
          :key="column.key"
          class="pl-2 text-right align-top font-normal"
          :aria-sort="by === column.key ? 'descending' : 'none'"
        >
          <button
            type="button"
            class="hover:text-ink"
            :class="by === column.key ? 'text-ink underline' : ''"
            :title="column.help"
            @click="by = column.key"
          >
            {{ column.title }}
          </button>
          <br />{{ scaleOf(column.key).unit }}
        </th>
        <th v-if="withCore" class="pl-2 text-right align-top font-normal">core</th>
      </tr>
    </thead>
    <tbody>
      <template v-for="{ process, depth } in shown" :key="`${process.pid}/${process.start}`">
        <tr class="border-t border-rule align-top" :title="titleOf(process)">
          <td class="max-w-28 truncate py-0.5" :style="{ paddingLeft: `${depth * 10}px` }">
            <button
              type="button"
              class="max-w-full truncate hover:text-needle"
              data-process
              @click="history(process)"
            >
              {{ process.name ?? 'unknown' }}
              <span class="text-2xs text-soft">{{ process.pid }} {{ process.user }}</span>
            </button>
          </td>
          <td v-for="(column, place) in columns" :key="column.key" class="py-0.5 text-right">
            {{ spellNumber(weightOf(process, column.key), scaleOf(column.key)) }}
            <span v-if="then" class="block text-[10px] leading-3 text-soft" data-was>{{
              before(process)
                ? `was ${spellNumber(weightOf(before(process)!, column.key), scaleOf(column.key))}`
                : place === 0
                  ? 'not listed'
                  : ''
            }}</span>
          </td>
          <td v-if="withCore" class="py-0.5 text-right">{{ process.core }}</td>
        </tr>
        <tr
          v-for="thread in threadsOf(processes, process)"
          :key="`${thread.tid}/${thread.start}`"
          class="text-2xs text-soft"
          :title="`thread ${thread.tid}, last on core ${thread.core}, state ${thread.state}`"
          data-thread
        >
          <td class="max-w-28 truncate pl-3">
            └ {{ thread.name ?? process.name ?? 'unknown' }} {{ thread.tid }}
          </td>
          <td v-for="column in columns" :key="column.key" class="text-right">
            <template v-if="column.key === 'cpu'">{{
              spellNumber(thread.usage.cpu_cores, scaleOf('cpu'))
            }}</template>
            <template v-else-if="column.key === 'io'">{{
              spellNumber(ioOf(thread.usage), scaleOf('io'))
            }}</template>
          </td>
          <td v-if="withCore" class="text-right">{{ thread.core }}</td>
        </tr>
      </template>
      <tr v-if="others && !bench.processFilter" class="border-t border-rule-strong text-soft">
        <td class="py-0.5" title="Processes that are not among the heaviest">all others</td>
        <td v-for="column in columns" :key="column.key" class="py-0.5 text-right">
          {{ spellNumber(others[column.key], scaleOf(column.key)) }}
        </td>
        <td v-if="withCore" />
      </tr>
    </tbody>
  </table>
  <p class="mt-0.5 text-2xs text-soft">
    <button
      v-if="found.length > SHOWN"
      type="button"
      class="underline hover:text-ink"
      @click="whole = !whole"
    >
      {{ whole ? 'fewer' : `${found.length - SHOWN} more` }}
    </button>
    <template v-if="bench.processFilter && !found.length">None of the heaviest is called that. </template>
    <template v-if="(processes.ended_cores ?? 0) >= 0.05">
      {{ processes.ended_cores?.toFixed(1) }} cores not attributed: processes that ended within the tick, or
      interrupts.
    </template>
  </p>
</template>
