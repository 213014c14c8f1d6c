<script setup lang="ts">
import { useStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Use, UseRow } from '../api/client'
import { scaleFor, spellAmount } from '../model/amounts'
import { spellWindow } from '../model/clock'
import { toMs } from '../model/instant'
import { useZone } from '../usePreferences'
import {
  COLUMNS,
  curveOf,
  FIRST_COLUMNS,
  scaleOfColumn,
  spellIn,
  spellShare,
  valueOf,
  type Quantity,
  type UseColumn,
  type WAYS,
} from './columns'
import SmallCurve from './SmallCurve.vue'
import UseDetails from './UseDetails.vue'

/** Users of resources, heaviest first, with what is attributed to none of them; rows add up to the machine. */
const props = defineProps<{
  use: Use
  way: (typeof WAYS)[number]
  /** Whether only what was searched for is listed, so that rows do not add up. */
  found: boolean
  everywhere: boolean
}>()
const emit = defineEmits<{ sort: [Quantity] }>()
const zone = useZone()

const chosen = useStorage<string[]>('reditus.useColumns', FIRST_COLUMNS)
/** Those that were chosen, and what the rows are sorted by, whether it was chosen or not. */
const sorted = computed(() => COLUMNS.find((column) => column.sort === props.use.sort))
const columns = computed(() => {
  const isThere = COLUMNS.some(
    (column) => column.sort === props.use.sort && chosen.value.includes(column.key),
  )
  return COLUMNS.filter(
    (column) => chosen.value.includes(column.key) || (!isThere && column === sorted.value),
  )
})
/** A narrow panel has room for the one by which it is sorted. */
const main = computed(() => columns.value.find((column) => column.sort === props.use.sort))
const roomFor = (column: UseColumn): string =>
  column === main.value ? 'pl-2 text-right' : 'hidden pl-2 text-right @md:table-cell'
const toggle = (key: string): void => {
  chosen.value = chosen.value.includes(key)
    ? chosen.value.filter((item) => item !== key)
    : [...chosen.value, key]
}
const scales = computed(
  () => new Map(COLUMNS.map((column) => [column.key, scaleOfColumn(props.use, column)])),
)
const scaleOf = (column: UseColumn) => scales.value.get(column.key) ?? scaleFor('count', 0)
const curve = computed(() => curveOf(props.use.sort))
const top = computed(() =>
  Math.max(
    0,
    ...[...props.use.rows.map((row) => row.curve), props.use.not_attributed_curve].flatMap((values) =>
      values.map((value) => value ?? 0),
    ),
  ),
)
const open = ref<string | null>(null)
const spellCurve = (name: string, values: (number | null)[]): string =>
  `${name}: ${curve.value.title}, highest ${spellAmount(Math.max(0, ...values.map((value) => value ?? 0)), curve.value.unit)}`
const titleOf = (row: UseRow): string =>
  [row.arguments ?? row.name, row.group ? `control group ${row.group}` : ''].filter(Boolean).join('\n')
const placeOf = (amounts: Use['total']): number | null =>
  COLUMNS.find((column) => column.sort === props.use.sort)?.of(amounts) ?? null
const shareOfRest = computed(() => {
  const [rest, total] = [placeOf(props.use.not_attributed), placeOf(props.use.total)]
  return rest !== null && total ? rest / total : null
})
const shareOfOthers = computed(() => {
  const [others, total] = [placeOf(props.use.others_amounts), placeOf(props.use.total)]
  return others !== null && total ? others / total : null
})
</script>

<template>
  <div class="@container">
    <details class="mb-1 text-2xs text-soft">
      <summary class="cursor-pointer hover:text-ink">columns</summary>
      <div class="flex flex-wrap gap-x-3 py-0.5">
        <label
          v-for="column in COLUMNS"
          :key="column.key"
          class="flex items-center gap-1"
          :title="column.help"
        >
          <input
            type="checkbox"
            class="accent-ink"
            :checked="chosen.includes(column.key)"
            @change="toggle(column.key)"
          />{{ column.title }}
        </label>
      </div>
    </details>
    <div class="overflow-x-auto">
      <table class="w-full" data-use-table>
        <thead class="text-2xs text-soft">
          <tr>
            <th class="text-left align-bottom font-normal">{{ way.title }}</th>
            <th class="pl-2 text-left align-bottom font-normal" :title="`Over the window: ${curve.title}`">
              {{ curve.title }}
            </th>
            <th class="pl-2 text-right align-bottom font-normal" title="Share of what the machine had of it">
              share<br />%
            </th>
            <th
              v-for="column in columns"
              :key="column.key"
              class="align-bottom font-normal whitespace-nowrap"
              :class="roomFor(column)"
              :aria-sort="column.sort === use.sort ? 'descending' : 'none'"
            >
              <button
                v-if="column.sort"
                type="button"
                class="hover:text-ink"
                :class="column.sort === use.sort ? 'text-ink underline' : ''"
                :title="`${column.help}. Click for the heaviest of it first`"
                @click="emit('sort', column.sort)"
              >
                {{ column.title }}</button><span v-else :title="column.help">{{ column.title }}</span
              ><br />{{ scaleOf(column).unit || '\u00a0' }}
            </th>
          </tr>
        </thead>
        <tbody>
          <template v-for="row in use.rows" :key="row.key">
            <tr class="border-t border-rule" :title="titleOf(row)" data-use-row>
              <td class="w-full max-w-0 truncate py-0.5">
                <button
                  type="button"
                  class="max-w-full truncate hover:text-needle"
                  :aria-expanded="open === row.key"
                  @click="open = open === row.key ? null : row.key"
                >
                  {{ row.name || '(no name)'
                  }}<span class="ml-1 text-2xs text-soft"
                    ><template v-if="use.by === 'process'">{{ row.pid }}</template
                    ><template v-else-if="row.processes > 1">{{ row.processes }} processes</template></span
                  >
                </button>
                <span v-if="everywhere" class="block truncate text-[10px] leading-3 text-soft">{{
                  spellWindow(toMs(row.first), toMs(row.last), zone)
                }}</span>
              </td>
              <td class="pl-2 text-soft">
                <SmallCurve :values="row.curve" :top="top" :label="spellCurve(row.name, row.curve)" />
              </td>
              <td class="pl-2 text-right">{{ spellShare(row.share) }}</td>
              <td v-for="column in columns" :key="column.key" :class="roomFor(column)">
                {{ spellIn(valueOf(row, column), scaleOf(column)) }}
              </td>
            </tr>
            <tr v-if="open === row.key">
              <td :colspan="3 + columns.length"><UseDetails :row="row" :use="use" /></td>
            </tr>
          </template>
          <tr v-if="use.others && !found" class="border-t border-rule text-soft" data-use-others>
            <td class="py-0.5">{{ use.others }} more {{ way.many }}</td>
            <td />
            <td class="pl-2 text-right">{{ spellShare(shareOfOthers) }}</td>
            <td v-for="column in columns" :key="column.key" :class="roomFor(column)">
              {{ spellIn(column.of(use.others_amounts), scaleOf(column)) }}
            </td>
          </tr>
          <tr
            v-if="!found"
            class="border-t border-rule text-soft"
            title="Processes that were never among the heaviest, that ended between two ticks, interrupts, and what the kernel does on its own"
            data-use-rest
          >
            <td class="py-0.5">not attributed</td>
            <td class="pl-2">
              <SmallCurve
                :values="use.not_attributed_curve"
                :top="top"
                :label="spellCurve('not attributed', use.not_attributed_curve)"
              />
            </td>
            <td class="pl-2 text-right">{{ spellShare(shareOfRest) }}</td>
            <td v-for="column in columns" :key="column.key" :class="roomFor(column)">
              {{ spellIn(column.of(use.not_attributed), scaleOf(column)) }}
            </td>
          </tr>
        </tbody>
        <tfoot v-if="!found">
          <tr class="border-t border-rule-strong font-semibold" data-use-total>
            <td class="py-0.5">the machine</td>
            <td />
            <td class="pl-2 text-right">100</td>
            <td v-for="column in columns" :key="column.key" :class="roomFor(column)">
              {{ spellIn(column.of(use.total), scaleOf(column)) }}
            </td>
          </tr>
        </tfoot>
      </table>
    </div>
  </div>
</template>
