<script setup lang="ts">
import { computed } from 'vue'
import type { Use, UseRow } from '../api/client'
import { toMs } from '../model/instant'
import { spellDuration, spellWindow } from '../model/clock'
import { spellAmount } from '../model/amounts'
import { aroundStretch } from '../model/span'
import { whoOf } from '../model/who'
import { useStrips } from '../useStrips'
import { useZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'

/** One user of resources: who it is, when it was there, and everything that it had. */
const props = defineProps<{ row: UseRow; use: Use }>()

const zone = useZone()
const board = useStrips()
const bench = useWorkbench()
const facts = computed(() => {
  const { row } = props
  const { amounts } = row
  return [
    ['among the heaviest', spellWindow(toMs(row.first), toMs(row.last), zone.value)],
    ['user', row.user],
    ['control group', row.group],
    ['child of', row.parent === null ? null : `${row.parent_name ?? ''} ${row.parent}`.trim()],
    ['last on core', row.core === null ? null : String(row.core)],
    ['command line', row.arguments],
    [
      'processor',
      `${spellAmount(amounts.cores, 'cores')}, ${spellDuration(amounts.processor_s)}, of that ${spellDuration(amounts.system_s)} in the kernel`,
    ],
    [
      'waited for a core',
      amounts.waited_s > 0 ? `${spellDuration(amounts.waited_s)}, its threads together` : null,
    ],
    [
      'memory',
      `${spellAmount(amounts.memory_bytes, 'bytes')} on average, ${spellAmount(row.memory_high_bytes, 'bytes')} at most, ${row.memory_growth_bytes < 0 ? '−' : '+'}${spellAmount(Math.abs(row.memory_growth_bytes), 'bytes')}`,
    ],
    [
      'read, written',
      `${spellAmount(amounts.read_bytes, 'bytes')}, ${spellAmount(amounts.written_bytes, 'bytes')}`,
    ],
  ].filter((fact): fact is [string, string] => Boolean(fact[1]))
})

const who = computed(() => whoOf(props.use, props.row))
function alone(): void {
  if (who.value) board.choose('device', who.value)
}
/** The whole time that it was there, with some of before and after. */
function go(): void {
  if (bench.extent)
    bench.look(aroundStretch({ start: toMs(props.row.first), end: toMs(props.row.last) }, bench.extent))
}
</script>

<template>
  <dl class="mb-2 grid grid-cols-[auto_1fr] gap-x-3 border-l-2 border-rule pl-2 text-2xs" data-use-details>
    <template v-for="[name, value] in facts" :key="name">
      <dt class="text-soft">{{ name }}</dt>
      <dd class="break-words">{{ value }}</dd>
    </template>
    <dd class="col-span-2 flex gap-3 pt-0.5">
      <button v-if="who" type="button" class="underline hover:text-needle" @click="alone()">
        strips of it alone
      </button>
      <button type="button" class="underline hover:text-needle" @click="go()">go to its time</button>
    </dd>
  </dl>
</template>
