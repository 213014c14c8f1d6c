<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import type { Archive, Finding } from '../api/client'
import { useFindingsOf, useStrain } from '../api/queries'
import { nameOfFinding, titleOf } from '../findings/chain'
import { harmOf } from '../findings/harm'
import { spellInstant } from '../model/clock'
import { toMs } from '../model/instant'
import { placeQuery } from '../model/link'
import { aroundStretch, type Span } from '../model/span'
import StrainCells from '../strainmap/StrainCells.vue'
import { worstRow } from '../strainmap/worst'
import { useZone } from '../usePreferences'
import { worstFirst } from './worst'

/** A host at a glance: how hard it was pressed over its last day, and the worst that was found of it. */
interface Props {
  archive: Archive
  /** Whether it is this host's turn: hosts are judged one after another. */
  turn: boolean
}
const props = defineProps<Props>()
const emit = defineEmits<{ judged: [harmS: number] }>()

const DAY_MS = 86_400_000
const BINS = 240
const SHOWN = 3
const zone = useZone()
// As it was when the page was opened: what grows is not judged again with every tick.
const lastDay = ref<Span | null>(null)
watch(
  () => props.archive.id,
  () => {
    const { start, end } = props.archive
    lastDay.value =
      start === null || end === null
        ? null
        : { start: Math.max(toMs(end) - DAY_MS, toMs(start)), end: Math.max(toMs(end), toMs(start) + 1000) }
  },
  { immediate: true },
)
const id = computed(() => props.archive.id)
const requested = computed(() => (props.turn ? lastDay.value : null))
const { data: strain } = useStrain(id, requested, ref(BINS), ref([]))
const { data: diagnosis, error, isFetching } = useFindingsOf(id, requested)

const worst = computed(() => worstRow(strain.value?.rows ?? []))
const findings = computed(() =>
  (diagnosis.value?.findings ?? []).filter((finding) => finding.verdict?.state !== 'dismissed'),
)
const listed = computed(() => worstFirst(findings.value))
watch([diagnosis, error], ([now, failed]) => {
  if (now)
    emit(
      'judged',
      findings.value.reduce((sum, finding) => sum + Math.max(finding.time_lost_s, 1), 0),
    )
  else if (failed) emit('judged', 0)
})
const placeOf = (finding: Finding): Record<string, string> => {
  const extent = {
    start: toMs(props.archive.start ?? finding.start),
    end: toMs(props.archive.end ?? finding.end),
  }
  const onset = Math.min(toMs(finding.onset.at) + (props.archive.interval_s ?? 0) * 1000, toMs(finding.end))
  return {
    ...placeQuery(aroundStretch({ start: toMs(finding.start), end: toMs(finding.end) }, extent), onset),
    finding: nameOfFinding(finding),
  }
}
</script>

<template>
  <div v-if="lastDay" class="flex items-center gap-4 py-1" data-host-summary>
    <StrainCells
      v-if="strain && worst.mean.length"
      class="h-3 w-64 shrink-0"
      role="img"
      :aria-label="`Strain of the last day, highest ${Math.max(0, ...worst.mean.map((value) => value ?? 0))} %`"
      :mean="worst.mean"
      :high="worst.high"
      :first-ms="toMs(strain.start)"
      :bin-ms="strain.bin_s * 1000"
      :extent="lastDay"
    />
    <span v-else class="hatched h-3 w-64 shrink-0" />
    <p class="min-w-0 grow truncate text-2xs">
      <span v-if="error" class="text-soft">The last day cannot be judged: {{ error.message }}</span>
      <span v-else-if="isFetching || !diagnosis" class="text-soft" role="status">judging the last day …</span>
      <span v-else-if="!findings.length" class="text-soft">no findings in its last day</span>
      <template v-for="({ finding, times }, place) in listed.slice(0, SHOWN)" :key="finding.id">
        <span v-if="place" class="text-soft"> · </span>
        <RouterLink
          :to="{ name: 'workbench', params: { id: archive.id }, query: placeOf(finding) }"
          class="relative z-10 underline decoration-rule-strong underline-offset-2 hover:text-needle"
          :title="`${spellInstant(toMs(finding.onset.at), zone)}. ${finding.explanation}`"
          data-host-finding
          ><b class="font-semibold" :style="{ color: `var(--color-${finding.resource})` }">{{
            titleOf(finding)
          }}</b
          ><template v-if="harmOf(finding)">, {{ harmOf(finding) }}</template
          ><template v-if="times > 1">, {{ times }} times</template></RouterLink
        >
      </template>
      <span v-if="listed.length > SHOWN" class="text-soft"> · {{ listed.length - SHOWN }} more</span>
    </p>
    <RouterLink
      :to="{ name: 'weeks', params: { id: archive.id } }"
      class="relative z-10 shrink-0 text-2xs text-soft underline decoration-rule-strong underline-offset-2 hover:text-needle"
      :aria-label="`${archive.host.name} over weeks`"
      >over weeks</RouterLink
    >
  </div>
</template>
