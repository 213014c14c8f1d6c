<script setup lang="ts">
import { computed } from 'vue'
import { useUse } from '../api/queries'
import type { DeviceRef } from '../model/layouts'
import { spellAmount } from '../model/amounts'
import { spellDuration, spellWindow } from '../model/clock'
import { toMs } from '../model/instant'
import { isWho, readProcess, spellWho, type WhoKind } from '../model/who'
import { useZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'

/** Who the strips below are about: when it was there, what it had in the window, and what it was started with. */
const props = defineProps<{ device: DeviceRef }>()

const bench = useWorkbench()
const zone = useZone()
const { id } = useSession()
const kind = computed<WhoKind>(() => (isWho(props.device.kind) ? props.device.kind : 'process'))
const process = computed(() => (kind.value === 'process' ? readProcess(props.device.name) : null))
const match = computed(() => (process.value ? String(process.value.pid) : props.device.name))
const { data: use, isPending } = useUse(
  id,
  computed(() => bench.window),
  kind,
  computed(() => 'processor' as const),
  match,
)
const row = computed(
  () =>
    use.value?.rows.find((item) =>
      process.value
        ? item.pid === process.value.pid && item.start === process.value.start
        : item.name === props.device.name,
    ) ?? null,
)
const share = computed(() => (row.value?.share ? ` (${Math.round(row.value.share * 100)} %)` : ''))
const facts = computed(() => {
  const found = row.value
  if (!found) return []
  const { amounts } = found
  return [
    found.processes > 1 ? `${found.processes} processes` : null,
    `${spellAmount(amounts.cores, 'cores')}${share.value}`,
    `${spellDuration(amounts.processor_s)} of processor time`,
    `${spellAmount(amounts.memory_bytes, 'bytes')} of memory, ${spellAmount(found.memory_high_bytes, 'bytes')} at most`,
    `read ${spellAmount(amounts.read_bytes, 'bytes')}, written ${spellAmount(amounts.written_bytes, 'bytes')}`,
    amounts.threads === null
      ? null
      : `${amounts.threads.toFixed(0)} thread${amounts.threads < 1.5 ? '' : 's'}`,
    found.core === null ? null : `last on core ${found.core}`,
    kind.value === 'process' && found.user ? `user ${found.user}` : null,
    found.parent === null ? null : `child of ${found.parent_name ?? ''} ${found.parent}`.replace('  ', ' '),
    kind.value === 'process' ? found.group : null,
  ].filter(Boolean)
})
</script>

<template>
  <section class="border-b border-rule bg-leaf px-[18px] py-1.5" data-who>
    <p class="flex items-baseline gap-3">
      <b class="font-serif text-[15px] font-semibold">{{ spellWho(device) }}</b>
      <span v-if="row" class="text-2xs text-soft"
        >among the heaviest {{ spellWindow(toMs(row.first), toMs(row.last), zone) }}</span
      >
      <span v-else-if="isPending" class="text-2xs text-soft" role="status">adding up …</span>
      <span v-else class="text-2xs text-soft">not among the heaviest in this window</span>
    </p>
    <p v-if="row" class="text-2xs">{{ facts.join(' · ') }}</p>
    <p v-if="row?.arguments" class="truncate font-mono text-2xs" :title="row.arguments">
      {{ row.arguments }}
    </p>
  </section>
</template>
