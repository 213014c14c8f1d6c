<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CaseEvent, CaseTimeline, Hypothesis } from '../api/client'
import { usePin } from '../api/investigations'
import type { Draft } from './useDraft'

/** Findings and what was ruled out, to be taken over as hypotheses, each with its exhibit. */
interface Props {
  id: string
  draft: Draft
  timeline: CaseTimeline
  hypotheses: [string, Hypothesis][]
  zone: string
}
const props = defineProps<Props>()
const pin = usePin()
const trouble = ref('')
const taken = computed(() => new Set(props.hypotheses.map(([, item]) => item.finding)))
const left = computed(() =>
  props.timeline.events.filter(
    ({ what, id }) => (what === 'finding' || what === 'ruled-out') && !taken.value.has(id),
  ),
)
/** The workbench at the window, with the finding open: a link names it by its kind and device. */
function viewOf(event: CaseEvent, archive: string): string {
  const [, kind = '', device = ''] = /^([^/]+)\/(.*)\/\d+$/.exec(event.id) ?? []
  const finding = device === 'machine' ? kind : `${kind}@${device}`
  const { start, end } = props.timeline
  const query = { from: start, to: end, ...(event.what === 'finding' && kind ? { finding } : {}) }
  return `/archives/${archive}?${new URLSearchParams(query).toString()}`
}
async function take(event: CaseEvent): Promise<void> {
  if (!event.archive) return
  const exhibit = crypto.randomUUID()
  const isRuledOut = event.what === 'ruled-out'
  const { start, end } = props.timeline
  try {
    await pin.mutateAsync({
      investigation: props.id,
      exhibit,
      pin: {
        kind: isRuledOut ? 'ruled-out' : 'finding',
        archive: event.archive,
        start,
        end,
        zone: props.zone,
        view: viewOf(event, event.archive),
        finding: event.id,
      },
    })
  } catch (error) {
    if (!(error instanceof Error)) throw error
    trouble.value = error.message
    return
  }
  trouble.value = ''
  const last = props.hypotheses.at(-1)?.[1].place ?? 0
  props.draft.set(`hypotheses/${crypto.randomUUID()}`, {
    text: event.host ? `${event.text} on ${event.host}` : event.text,
    state: isRuledOut ? 'excluded' : 'open',
    supporting: isRuledOut ? [] : [exhibit],
    opposing: isRuledOut ? [exhibit] : [],
    place: last + 1,
    finding: event.id,
  })
  void props.draft.flush()
}
</script>

<template>
  <details v-if="left.length" class="text-soft" data-take-over>
    <summary class="cursor-pointer hover:text-ink">
      {{ left.length }} findings and look-alikes to take over
    </summary>
    <ul>
      <li
        v-for="event in left"
        :key="event.id"
        class="flex items-baseline justify-between gap-2 border-b border-rule py-0.5"
      >
        <span class="min-w-0 truncate" :title="event.text">{{ event.text }}</span>
        <button
          type="button"
          class="shrink-0 text-2xs underline underline-offset-2 hover:text-needle"
          :aria-label="`Take over ${event.text}`"
          @click="take(event)"
        >
          {{ event.what === 'finding' ? 'take over' : 'as excluded' }}
        </button>
      </li>
    </ul>
    <p v-if="trouble" class="text-needle" role="alert">{{ trouble }}</p>
  </details>
</template>
