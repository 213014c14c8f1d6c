<script setup lang="ts">
import { computed, useTemplateRef, watch } from 'vue'
import { harmOf } from './harm'
import { useTimes } from '../useTimes'
import { useMeasures } from '../api/queries'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { toMs } from '../model/instant'
import type { Finding, Pin } from '../api/client'
import { vExhibit } from '../exhibits/exhibitable'
import PinButton from '../exhibits/PinButton.vue'
import { placeOf } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import { spellDuration } from '../model/clock'
import PillButton from '../ui/PillButton.vue'
import StateNote from '../ui/StateNote.vue'
import ChainDrawing from './ChainDrawing.vue'
import { chainOf, nameOfFinding, titleOf } from './chain'
import EvidenceList from './EvidenceList.vue'
import FindingVerdict from './FindingVerdict.vue'
import { crowdsOf, STATES, stripsOfFinding } from './proof'

/** What ran out: since when, at what cost, because of what. */
const bench = useWorkbench()
const strips = useStrips()
const { id, judgement, moves } = useSession()
const { findings, isPending, diagnosis } = judgement
const unjudged = computed(() => diagnosis.value?.unjudged.length ?? 0)
const { data: measures } = useMeasures()
function prove(finding: Finding): void {
  strips.show(stripsOfFinding(finding, measures.value ?? []))
}
/** With less than half attributed to recorded processes, the one that matters may be none of them. */
const MOSTLY_RECORDED = 0.5
const LEAST_SHOWN = 0.05
const MOST_TIMES = 12
const times = useTimes()
/** Findings are those of the whole archive: it is judged again over the same. */
const judgedWindow = computed(() => bench.extent)
const placed = usePlace()
function pinOf(finding: Finding): Pin | null {
  const place = placed({ finding: nameOfFinding(finding) })
  const window = judgedWindow.value
  return place && window ? { kind: 'finding', ...placeOf({ ...place, window }), finding: finding.id } : null
}
const list = useTemplateRef<HTMLOListElement>('list')
/** The one that is open stands at the top, where it is not in view already. */
function reveal(): void {
  const head = list.value?.querySelector('[aria-current="true"]')
  const room = list.value?.parentElement?.parentElement?.getBoundingClientRect()
  const box = head?.getBoundingClientRect()
  if (head && box && room && (box.top < room.top || box.bottom > room.bottom))
    head.closest('li')?.scrollIntoView({ block: 'start' })
}
watch([() => bench.selected, list], reveal, { flush: 'post' })
/** Of what came on several days the first and the last time; else from when to when. */
function whenOf(finding: Finding): string {
  const first = finding.occurrences[0]
  const last = finding.occurrences.at(-1)
  if (finding.pattern.kind !== 'days' || !first || !last)
    return times.range(toMs(finding.start), toMs(finding.end))
  return `${times.range(toMs(first.start), toMs(first.end))} … ${times.range(toMs(last.start), toMs(last.end))}`
}
</script>

<template>
  <StateNote v-if="isPending" title="Reading the archive" busy />
  <StateNote
    v-else-if="!findings.length"
    title="No findings"
    :hint="
      unjudged
        ? 'Nothing was short in what could be judged; what could not be stands below.'
        : 'No resource was short in what was recorded. Ruled out lists what was considered.'
    "
  />
  <ol
    v-else
    ref="list"
    class="divide-y divide-rule"
    aria-label="Findings, causes first, then the most stall time"
  >
    <li
      v-for="finding in findings"
      :key="finding.id"
      v-exhibit="() => pinOf(finding)"
      class="py-3 first:pt-0"
      data-finding
    >
      <button
        type="button"
        class="w-full border-l-[3px] pl-3 text-left"
        :style="{ borderColor: `var(--color-${finding.resource})` }"
        :aria-current="bench.selected === finding.id"
        @click="moves.find(finding.id)"
      >
        <span class="flex items-baseline justify-between gap-2">
          <span
            class="font-serif text-base font-semibold"
            :class="[
              bench.selected === finding.id ? 'text-needle' : '',
              finding.verdict?.state === 'dismissed' ? 'line-through decoration-1' : '',
            ]"
            >{{ titleOf(finding) }}</span
          >
          <span class="text-2xs text-soft">{{ finding.kind }}</span>
        </span>
        <span class="block text-soft">
          {{ whenOf(finding) }} ·
          <b v-if="harmOf(finding)" class="font-semibold text-ink">{{ harmOf(finding) }}</b><template v-else
            >cost unknown</template
          >
          <template v-if="finding.pattern.kind === 'days'">
            · {{ finding.occurrences.length }} times</template
          >
          <template v-if="finding.pattern.period_s">
            · again every {{ spellDuration(finding.pattern.period_s) }}</template
          >
          <template v-if="finding.verdict"> · {{ STATES[finding.verdict.state] }}</template>
        </span>
      </button>
      <div class="mt-2 space-y-3 pl-[15px]">
        <p>{{ finding.explanation }}</p>
        <p class="text-soft">
          Began {{ times.at(toMs(finding.onset.at)) }} ± {{ spellDuration(finding.onset.uncertainty_s) }} ·
          confidence {{ (finding.confidence * 100).toFixed(0) }} %
        </p>
        <template v-if="bench.selected === finding.id">
          <ChainDrawing
            v-if="chainOf(finding, findings).length"
            :stages="chainOf(finding, findings)"
            :here="finding.id"
            @find="moves.find($event)"
          />
          <ul
            v-if="finding.occurrences.length > 1"
            class="flex flex-wrap gap-x-3 gap-y-1"
            aria-label="Each time"
          >
            <li v-for="time in finding.occurrences.slice(0, MOST_TIMES)" :key="time.start">
              <button
                type="button"
                class="underline decoration-rule-strong underline-offset-2 hover:decoration-ink"
                data-occurrence
                @click="moves.findTime(finding.id, time)"
              >
                {{ times.range(toMs(time.start), toMs(time.end)) }}
              </button>
            </li>
            <li v-if="finding.occurrences.length > MOST_TIMES" class="text-soft">
              and {{ finding.occurrences.length - MOST_TIMES }} times more
            </li>
          </ul>
          <EvidenceList :evidence="finding.evidence" />
          <p class="flex items-baseline gap-4">
            <PillButton label="Show these strips, and nothing else" @press="prove(finding)"
              >Show these strips</PillButton
            >
            <PinButton label="Pin this finding as an exhibit" :what="() => pinOf(finding)" />
          </p>
          <section v-if="finding.recorded_share !== null" data-contributors>
            <h3 class="font-semibold">
              Top processes
              <span v-if="finding.shares_of" class="font-normal text-soft">by {{ finding.shares_of }}</span>
            </h3>
            <p v-if="finding.recorded_share < MOSTLY_RECORDED" class="text-soft">
              What had the greater part was not recorded.
            </p>
            <ul>
              <li
                v-for="crowd in crowdsOf(finding.processes)"
                :key="crowd.name"
                class="flex items-baseline justify-between gap-2 border-b border-rule py-0.5"
              >
                <span
                  >{{ crowd.name }}
                  <span class="text-2xs text-soft">{{
                    crowd.pids.length > 1 ? `${crowd.pids.length} processes` : crowd.pids[0]
                  }}</span></span
                >
                <span>{{ (crowd.share * 100).toFixed(0) }} %</span>
              </li>
              <li
                v-if="1 - finding.recorded_share >= LEAST_SHOWN"
                class="flex items-baseline justify-between gap-2 border-b border-rule py-0.5 text-soft italic"
                data-unattributed
              >
                <span>not attributed</span>
                <span>{{ ((1 - finding.recorded_share) * 100).toFixed(0) }} %</span>
              </li>
            </ul>
          </section>
          <section>
            <h3 class="font-semibold">Also considered</h3>
            <ul class="list-disc pl-4 text-soft">
              <li v-for="line in finding.considered" :key="line">{{ line }}</li>
            </ul>
          </section>
          <section>
            <h3 class="font-semibold">Next steps</h3>
            <ul class="list-disc pl-4 text-soft">
              <li v-for="line in finding.next" :key="line">{{ line }}</li>
            </ul>
          </section>
          <FindingVerdict :key="finding.id" :archive-id="id" :finding="finding" />
        </template>
      </div>
    </li>
  </ol>
</template>
