<script setup lang="ts">
import { useClipboard, useVirtualList } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useMeasures, useSeriesSet } from '../api/queries'
import { spellAmount, spellNumber, type Unit } from '../model/amounts'
import { spellDuration, spellInstant, spellWindow } from '../model/clock'
import { spellCount } from '../model/numbers'
import { namesOfAll, type Strip } from '../model/strips'
import { kindOf, useNames } from '../names/useNames'
import { saveAs, usePictures } from '../pictures/usePictures'
import { figuresPin, ticksPin } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import { usePinning } from '../exhibits/usePinning'
import HintNote from '../settings/HintNote.vue'
import PillButton from '../ui/PillButton.vue'
import SheetDialog from '../ui/SheetDialog.vue'
import StateNote from '../ui/StateNote.vue'
import { useZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { chosenColumns, figuresOf, rowOrder, toCsv, toTsv } from './table'

/** A strip, or all strips of the layout, as figures: ticks where few enough lie in the window, else bins. */
const props = defineProps<{ strips: Strip[]; title: string }>()
const emit = defineEmits<{ close: [] }>()

const [ROW_PX, MOST_ROWS] = [22, 5_000]
const COPIED_MS = 2_000
const bench = useWorkbench()
const zone = useZone()
const names = useNames()
const { id, archive } = useSession()
const { data: catalogue } = useMeasures()
const { data: set, error } = useSeriesSet(
  id,
  computed(() => bench.window),
  ref(MOST_ROWS),
  computed(() => namesOfAll(props.strips.map((strip) => ({ ...strip, folded: false })))),
)
const figures = computed(() =>
  set.value
    ? figuresOf(set.value, {
        titleOf: (measure) => catalogue.value?.find((known) => known.name === measure)?.title ?? measure,
        deviceOf: (measure, device) => names.labelOf(kindOf(measure), device),
      })
    : null,
)
/** Keys of the columns, in the order in which they stand. */
const shown = ref<string[]>([])
watch(
  figures,
  (now) => {
    const there = now?.columns.map((column) => column.key) ?? []
    const kept = shown.value.filter((key) => there.includes(key))
    if (!kept.length) shown.value = there
  },
  { immediate: true },
)
const columns = computed(() => (figures.value ? chosenColumns(figures.value, shown.value) : []))
const hidden = computed(
  () => figures.value?.columns.filter((column) => !shown.value.includes(column.key)) ?? [],
)
const by = ref<string | null>(null)
const descending = ref(false)
function sort(key: string | null): void {
  descending.value = by.value === key ? !descending.value : key !== null
  by.value = key
}
function move(key: string, step: number): void {
  const at = shown.value.indexOf(key)
  const keys = shown.value.filter((item) => item !== key)
  keys.splice(Math.min(Math.max(at + step, 0), keys.length), 0, key)
  shown.value = keys
}
const order = computed(() => (figures.value ? rowOrder(figures.value, by.value, descending.value) : []))
const { list, containerProps, wrapperProps } = useVirtualList(order, { itemHeight: ROW_PX, overscan: 12 })

const { copy, copied, isSupported } = useClipboard({ copiedDuring: COPIED_MS })
const text = (write: typeof toTsv): string =>
  figures.value ? write(figures.value, columns.value, order.value) : ''
function save(): void {
  const file = new Blob([text(toCsv)], { type: 'text/csv;charset=utf-8' })
  saveAs(file, `${archive.value?.host.name ?? 'archive'}, ${props.title}.csv`)
}
const pinning = usePinning()
const pictures = usePictures()
const placed = usePlace()
/** The figures, or the ticks, of those strips that are drawn on the page. */
function pin(make: typeof figuresPin): void {
  const place = placed()
  const drawn = props.strips.flatMap(({ key }) => pictures.strips.get(key)?.value ?? [])
  const shown = drawn.filter((picture) => picture.data.lines.length)
  if (place && shown.length) pinning.pin(make(place, shown))
  else pinning.say('Nothing of these strips is drawn in this window.')
  emit('close')
}
const FEET = [
  ['low', 'low'],
  ['mean', 'mean'],
  ['p95', '95th percentile'],
  ['high', 'high'],
] as const
/** What a rate amounts to over the window: bytes, whatever it is shown in; of a share of time, the time. */
const spellTotal = (total: number, unit: Unit): string =>
  unit === 'share' ? spellDuration(total) : spellAmount(total, unit === '1/s' ? 'count' : 'bytes')
const grid = computed(() => ({
  gridTemplateColumns: `15rem repeat(${columns.value.length}, minmax(7rem, 1fr))`,
}))
const ariaSort = (key: string | null): 'ascending' | 'descending' | 'none' =>
  by.value !== key ? 'none' : descending.value ? 'descending' : 'ascending'
</script>

<template>
  <SheetDialog :title="`Figures: ${title}`" width="max-w-6xl" @close="emit('close')">
    <template #head>
      <p v-if="bench.window" class="text-2xs text-soft">
        {{ archive?.host.name }}, {{ spellWindow(bench.window.start, bench.window.end, zone) }};
        <template v-if="figures">
          {{ spellCount(figures.times.length) }}
          {{ figures.binS === null ? 'ticks' : `bins of ${spellAmount(figures.binS, 's')}, means` }}
        </template>
      </p>
    </template>
    <HintNote place="figures" />
    <StateNote v-if="error && !figures" title="No figures" :hint="error.message" />
    <p v-else-if="!figures" class="py-8 text-center text-soft" role="status" aria-busy="true">Reading …</p>
    <StateNote v-else-if="!figures.times.length" title="Nothing recorded in this window" />
    <div v-else class="overflow-x-auto" data-figures>
      <div class="min-w-max" role="table" :aria-label="`Figures of ${title}`" :aria-rowcount="order.length">
        <div class="grid border-b border-rule-strong pb-1 text-2xs text-soft" :style="grid" role="row">
          <div role="columnheader" :aria-sort="ariaSort(null)">
            <button type="button" class="hover:text-ink" @click="sort(null)">
              time {{ by === null ? (descending ? '↓' : '↑') : '' }}
            </button>
          </div>
          <div
            v-for="column in columns"
            :key="column.key"
            role="columnheader"
            class="pl-3 text-right"
            :aria-sort="ariaSort(column.key)"
          >
            <button type="button" class="text-right hover:text-ink" @click="sort(column.key)">
              {{ column.title }} {{ by === column.key ? (descending ? '↓' : '↑') : '' }}<br />{{
                column.scale.unit || '\u00a0'
              }}
            </button>
            <div class="flex justify-end gap-2">
              <button type="button" :aria-label="`${column.title} to the left`" @click="move(column.key, -1)">
                ◂
              </button>
              <button type="button" :aria-label="`${column.title} to the right`" @click="move(column.key, 1)">
                ▸
              </button>
              <button
                type="button"
                :aria-label="`Without ${column.title}`"
                @click="shown = shown.filter((key) => key !== column.key)"
              >
                ×
              </button>
            </div>
          </div>
        </div>
        <div v-bind="containerProps" class="h-[46vh]" role="rowgroup" tabindex="0" aria-label="Rows">
          <div v-bind="wrapperProps">
            <div
              v-for="{ data: row } in list"
              :key="row"
              class="grid items-center border-b border-rule/60"
              :style="{ ...grid, height: `${ROW_PX}px` }"
              role="row"
            >
              <div role="cell">{{ spellInstant(figures.times[row] ?? 0, zone) }}</div>
              <div v-for="column in columns" :key="column.key" role="cell" class="pl-3 text-right">
                {{ spellNumber(column.values[row], column.scale) }}
              </div>
            </div>
          </div>
        </div>
        <div
          v-for="[key, label] in FEET"
          :key="key"
          class="grid text-2xs text-soft first:border-t"
          :style="grid"
          role="row"
          :data-foot="key"
        >
          <div role="rowheader">{{ label }}</div>
          <div v-for="column in columns" :key="column.key" role="cell" class="pl-3 text-right text-ink">
            {{ spellNumber(column.summary?.[key], column.scale) }}
          </div>
        </div>
        <div class="grid text-2xs text-soft" :style="grid" role="row" data-foot="total">
          <div role="rowheader">total</div>
          <div v-for="column in columns" :key="column.key" role="cell" class="pl-3 text-right text-ink">
            {{ column.summary?.total == null ? '–' : spellTotal(column.summary.total, column.unit) }}
          </div>
        </div>
      </div>
    </div>
    <p v-if="hidden.length" class="flex flex-wrap gap-x-3 text-2xs text-soft">
      left out:
      <button
        v-for="column in hidden"
        :key="column.key"
        type="button"
        class="underline hover:text-ink"
        @click="shown = [...shown, column.key]"
      >
        {{ column.title }}
      </button>
    </p>
    <template #foot>
      <PillButton v-if="isSupported" label="Copy with tabs between" @press="copy(text(toTsv))">{{
        copied ? 'Copied' : 'Copy'
      }}</PillButton>
      <PillButton label="Save as CSV" @press="save()">Save as CSV</PillButton>
      <PillButton label="Pin figures as an exhibit" @press="pin(figuresPin)">Pin figures</PillButton>
      <PillButton label="Pin ticks as an exhibit" @press="pin(ticksPin)">Pin ticks</PillButton>
      <PillButton class="ml-auto" label="Close" keys="Esc" @press="emit('close')">Close</PillButton>
    </template>
  </SheetDialog>
</template>
