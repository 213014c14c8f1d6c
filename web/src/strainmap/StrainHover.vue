<script setup lang="ts">
import { useSession } from '../workbench/session'
import { useZone } from '../usePreferences'
import { refDebounced } from '@vueuse/core'
import { computed } from 'vue'
import type { StrainRow } from '../api/client'
import { useMeasures, useSeriesSet } from '../api/queries'
import { spellAmount } from '../model/amounts'
import { spellDuration, spellInstant } from '../model/clock'
import type { Span } from '../model/span'

/** What a place on the map tells: the time, the strain, and the measures that it comes from. */
interface Props {
  row: StrainRow
  title: string
  bin: number
  span: Span
  /** What looks strained here and was ruled out, by title. */
  ruledOut: string[]
}
const props = defineProps<Props>()

const zone = useZone()
const SETTLED_MS = 120
const { data: catalogue } = useMeasures()
const names = computed(() =>
  props.row.inputs.map((name) => {
    const perDevice = catalogue.value?.find((item) => item.name === name)?.per
    return props.row.device !== null && perDevice ? `${name}@${props.row.device}` : name
  }),
)
const requested = refDebounced(
  computed(() => ({ span: props.span, names: names.value })),
  SETTLED_MS,
)
const { data: behind, isFetching } = useSeriesSet(
  useSession().id,
  computed(() => requested.value.span),
  computed(() => 1),
  computed(() => requested.value.names),
)
const mean = computed(() => props.row.mean?.[props.bin] ?? null)
const high = computed(() => props.row.high?.[props.bin] ?? null)
const isSettled = computed(() => requested.value.span.start === props.span.start && !isFetching.value)
const lines = computed(() =>
  (behind.value?.series ?? [])
    .filter((line) => line.summary?.mean !== null && line.summary?.mean !== undefined)
    .map((line) => ({
      name: line.measure,
      title: catalogue.value?.find((known) => known.name === line.measure)?.title ?? line.measure,
      value: spellAmount(line.summary?.mean, line.unit),
      quiet: !line.summary?.mean,
    })),
)
</script>

<template>
  <div
    class="pointer-events-none w-[250px] border border-rule-strong bg-leaf px-3 py-2 text-2xs shadow-lg"
    role="status"
    data-strain-hover
  >
    <p class="flex justify-between">
      <b class="font-serif text-[13px] font-semibold">{{ title }}</b>
      <span v-if="mean !== null"
        ><b class="font-semibold">{{ mean }} %</b
        ><template v-if="high !== null && high > mean"> up to {{ high }} %</template></span
      >
      <span v-else>not recorded</span>
    </p>
    <p class="text-soft">
      {{ spellInstant(span.start, zone) }}, for
      {{ spellDuration((span.end - span.start) / 1000) }}
    </p>
    <p v-for="look in ruledOut" :key="look" class="mt-0.5" data-hover-ruled-out>Ruled out: {{ look }}</p>
    <dl v-if="mean !== null" class="mt-1 border-t border-rule pt-1" :class="isSettled ? '' : 'opacity-40'">
      <div v-for="line in lines" :key="line.name" class="flex justify-between gap-3">
        <dt class="truncate text-soft">{{ line.title }}</dt>
        <dd class="whitespace-nowrap" :class="line.quiet ? 'text-soft' : ''">{{ line.value }}</dd>
      </div>
    </dl>
  </div>
</template>
