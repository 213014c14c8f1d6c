<script setup lang="ts">
import { useZone } from '../usePreferences'
import { spellCount, spellFixed } from '../model/numbers'
import { toMs } from '../model/instant'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import type { PlanEntry, Recorder } from '../api/client'
import { spellAmount } from '../model/amounts'
import { spellDuration, spellWindow } from '../model/clock'
import PillButton from '../ui/PillButton.vue'

/** One recorder: what it does, its health, and its orders. */
const props = defineProps<{ recorder: Recorder; plans: PlanEntry[]; now: number }>()
const emit = defineEmits<{
  direct: [orders: { plan?: string | null; recording?: boolean; burst_s?: number }]
  forget: []
}>()

const zone = useZone()
const BURST_S = 60
const report = computed(() => props.recorder.report)
const gone = computed(() => ['silent', 'ended'].includes(props.recorder.state))
const ago = computed(() =>
  report.value.last_tick === null
    ? 'never'
    : `${spellDuration(Math.max(Math.round((props.now - toMs(report.value.last_tick)) / 1000), 0))} ago`,
)
const missed = computed(() => Object.entries(report.value.missed_why ?? {}))
const unreadable = computed(() => Object.entries(report.value.unreadable ?? {}))
const fill = computed(() => report.value.spool_bytes / report.value.spool_limit_bytes)
const choose = (event: Event): void => {
  emit('direct', { plan: (event.target as HTMLSelectElement).value || null })
}
</script>

<template>
  <article class="border-b border-rule py-4" :data-recorder="recorder.name">
    <header class="flex items-baseline gap-3">
      <h2 class="font-serif text-lg font-semibold">
        <RouterLink :to="{ name: 'workbench', params: { id: recorder.id } }" class="hover:underline">{{
          recorder.name
        }}</RouterLink>
      </h2>
      <p class="text-soft">on {{ recorder.host.name }}</p>
      <p data-state :class="gone ? 'text-needle' : ''">
        <span aria-hidden="true">{{
          recorder.state === 'burst' ? '≋' : recorder.state === 'recording' ? '∿' : gone ? '×' : '‖'
        }}</span>
        {{ recorder.state }}
      </p>
      <div class="ml-auto flex items-center gap-2">
        <label class="flex items-center gap-2"
          ><span class="text-soft">plan</span>
          <select
            class="border-b border-rule-strong bg-paper py-0.5"
            :aria-label="`Plan of ${recorder.name}`"
            :value="recorder.plan ?? ''"
            @change="choose"
          >
            <option value="">none: as it was started</option>
            <option v-for="each in plans" :key="each.name" :value="each.name">{{ each.name }}</option>
          </select>
        </label>
        <PillButton
          v-if="recorder.burst_until !== null"
          :label="`End burst of ${recorder.name}`"
          on
          @press="emit('direct', { burst_s: 0 })"
          >End burst</PillButton
        >
        <PillButton
          v-else
          :label="`Burst 1 min: sample ${recorder.name} faster`"
          :disabled="gone || !recorder.recording"
          @press="emit('direct', { burst_s: BURST_S })"
          >Burst 1 min</PillButton
        >
        <PillButton
          :label="recorder.recording ? `Stop ${recorder.name}` : `Resume ${recorder.name}`"
          :disabled="gone"
          @press="emit('direct', { recording: !recorder.recording })"
          >{{ recorder.recording ? 'Stop' : 'Resume' }}</PillButton
        >
        <PillButton v-if="gone" :label="`Forget ${recorder.name}; its archive stays`" @press="emit('forget')"
          >Forget</PillButton
        >
      </div>
    </header>
    <dl class="mt-2 grid grid-cols-8 gap-4 [&_dt]:text-2xs [&_dt]:text-soft">
      <div>
        <dt>last tick</dt>
        <dd>{{ ago }}</dd>
      </div>
      <div>
        <dt>interval</dt>
        <dd>{{ report.interval_s === null ? '–' : spellDuration(report.interval_s) }}</dd>
      </div>
      <div>
        <dt>ticks</dt>
        <dd>{{ spellCount(report.ticks) }}</dd>
      </div>
      <div>
        <dt>missed</dt>
        <dd>{{ spellCount(report.missed) }}</dd>
      </div>
      <div title="How late ticks begin, median of the last sixty">
        <dt>tick delay</dt>
        <dd>{{ report.late_s === null ? '–' : `${spellFixed(1000 * report.late_s, 1)} ms` }}</dd>
      </div>
      <div title="What the recorder itself uses, over the last minute">
        <dt>recorder CPU</dt>
        <dd>
          {{ report.cost_share === null ? '–' : `${spellFixed(report.cost_share * 100, 2)} % of a core` }}
        </dd>
      </div>
      <div>
        <dt>own memory</dt>
        <dd>{{ spellAmount(report.memory_bytes, 'bytes') }}</dd>
      </div>
      <div>
        <dt>spool, of {{ spellAmount(report.spool_limit_bytes, 'bytes') }}</dt>
        <dd>
          {{ spellAmount(report.spool_bytes, 'bytes') }}
          <div class="mt-0.5 h-[3px] border border-rule-strong">
            <div class="h-full bg-ink" :style="{ width: `${Math.min(fill * 100, 100)}%` }" />
          </div>
        </dd>
      </div>
    </dl>
    <p v-if="report.spool_trouble" role="status" class="mt-2 text-2xs">
      Cannot write to the spool ({{ report.spool_trouble }}). Buffering in memory; free some disk space there.
    </p>
    <ul v-if="missed.length || report.dropped?.length" class="mt-2 text-2xs">
      <li v-for="[why, ticks] in missed" :key="why">{{ ticks }} ticks missed: {{ why }}</li>
      <li v-for="gap in report.dropped" :key="gap.start">
        Nothing in {{ spellWindow(toMs(gap.start), toMs(gap.end), zone) }}: {{ gap.reason }}
      </li>
    </ul>
    <details v-if="unreadable.length" class="mt-2 text-2xs text-soft">
      <summary class="cursor-pointer hover:text-ink">
        {{ unreadable.length === 1 ? '1 kernel file' : `${unreadable.length} kernel files` }} unreadable
      </summary>
      <ul class="mt-1 columns-2">
        <li v-for="[path, why] in unreadable" :key="path">{{ path }}: {{ why }}</li>
      </ul>
    </details>
  </article>
</template>
