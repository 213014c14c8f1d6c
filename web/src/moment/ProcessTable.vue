<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Process, Processes } from '../api/client'
import { scaleFor, spellNumber, type Scale } from '../model/amounts'
import { AMOUNTS, ioOf, named, rest, sorted, threadsOf, weightOf, type Amount } from './processes'

/** The heaviest processes of the moment, sortable, and what nobody in the list had. */
const props = defineProps<{ processes: Processes }>()

const SHOWN = 8
const by = ref<Amount>('cpu')
const search = ref('')
const whole = ref(false)

const found = computed(() => sorted(named(props.processes.processes, search.value), by.value))
const shown = computed(() => (whole.value ? found.value : found.value.slice(0, SHOWN)))
const scales = computed(
  () =>
    new Map<Amount, Scale>(
      AMOUNTS.map(({ key, unit }) => [
        key,
        scaleFor(unit, Math.max(0, ...props.processes.processes.map((one) => weightOf(one, key)))),
      ]),
    ),
)
const scaleOf = (key: Amount): Scale => scales.value.get(key) ?? scaleFor('count', 0)
const others = computed(() => rest(props.processes))
const titleOf = (one: Process): string =>
  [
    one.arguments ?? one.name ?? 'unknown',
    `process ${one.pid}, child of ${one.parent ?? '–'}`,
    `user ${one.user ?? '–'}`,
    one.group ? `control group ${one.group}` : '',
    `${one.usage.threads} threads, last on core ${one.core}, state ${one.state}`,
  ]
    .filter(Boolean)
    .join('\n')
</script>

<template>
  <input
    v-model="search"
    type="search"
    placeholder="name, user, number or control group"
    aria-label="Filter processes"
    class="mb-1 w-full border-b border-rule bg-transparent py-0.5 placeholder:text-soft"
  />
  <table class="w-full" data-processes>
    <thead class="text-2xs text-soft">
      <tr>
        <th class="text-left align-top font-normal">process</th>
        <th
          v-for="column in AMOUNTS"
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
      </tr>
    </thead>
    <tbody>
      <template v-for="one in shown" :key="`${one.pid}/${one.start}`">
        <tr class="border-t border-rule" :title="titleOf(one)">
          <td class="max-w-28 truncate py-0.5">
            {{ one.name ?? 'unknown' }} <span class="text-2xs text-soft">{{ one.pid }} {{ one.user }}</span>
          </td>
          <td v-for="column in AMOUNTS" :key="column.key" class="py-0.5 text-right">
            {{ spellNumber(weightOf(one, column.key), scaleOf(column.key)) }}
          </td>
        </tr>
        <tr
          v-for="thread in threadsOf(processes, one)"
          :key="`${thread.tid}/${thread.start}`"
          class="text-2xs text-soft"
          :title="`thread ${thread.tid}, last on core ${thread.core}, state ${thread.state}`"
          data-thread
        >
          <td class="max-w-28 truncate pl-3">
            └ {{ thread.name ?? one.name ?? 'unknown' }} {{ thread.tid }}
          </td>
          <td class="text-right">{{ spellNumber(thread.usage.cpu_cores, scaleOf('cpu')) }}</td>
          <td />
          <td class="text-right">{{ spellNumber(ioOf(thread.usage), scaleOf('io')) }}</td>
        </tr>
      </template>
      <tr v-if="others && !search" class="border-t border-rule-strong text-soft">
        <td class="py-0.5" title="Processes that are not among the heaviest">all others</td>
        <td v-for="column in AMOUNTS" :key="column.key" class="py-0.5 text-right">
          {{ spellNumber(others[column.key], scaleOf(column.key)) }}
        </td>
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
    <template v-if="search && !found.length">None of the heaviest is called that. </template>
    <template v-if="(processes.ended_cores ?? 0) >= 0.05">
      {{ processes.ended_cores?.toFixed(1) }} cores went to nobody here: processes that ended within the tick,
      or interrupts.
    </template>
  </p>
</template>
