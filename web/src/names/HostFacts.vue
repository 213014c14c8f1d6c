<script setup lang="ts">
import type { Pin } from '../api/client'
import { vExhibit } from '../exhibits/exhibitable'
import PinButton from '../exhibits/PinButton.vue'
import { placeOf } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import { useSession } from '../workbench/session'
import HangingPanel from '../ui/HangingPanel.vue'
import { computed } from 'vue'
import { useFacts } from '../api/queries'
import ChangeList from './ChangeList.vue'
import { changesOf, spellFacts } from './facts'
import { useNames } from './useNames'

/** What is known of the host, and how that changed while it was recorded. */
defineProps<{ about: string }>()
const { id } = useSession()
const { data: history } = useFacts(id)
const placed = usePlace()
function pinOf(): Pin | null {
  const place = placed()
  return place && { kind: 'facts', ...placeOf(place) }
}
const newest = computed(() => history.value?.[history.value.length - 1])
const facts = computed(() => (newest.value ? spellFacts(newest.value.facts) : []))
const names = useNames()
const labelled = (name: string): string => {
  const called = names.calledOf('disk', name) ?? names.calledOf('interface', name)
  return called ? `${called} (${name})` : name
}
const changes = computed(() => changesOf(history.value ?? []))
</script>

<template>
  <HangingPanel
    class="ml-2 min-w-16 shrink-[9] truncate text-soft hover:text-ink"
    :label="`${about}: what is known of this host`"
    title="What is known of this host"
  >
    <template #button>{{ about }}</template>
    <div
      v-exhibit="pinOf"
      class="max-h-[70vh] w-[396px] overflow-y-auto whitespace-normal text-ink"
      data-host-facts
    >
      <h2 class="font-serif text-[15px] font-semibold">The host</h2>
      <dl class="mt-1 grid grid-cols-[7rem_1fr] gap-x-3">
        <template v-for="[name, value] in facts" :key="name">
          <dt class="border-t border-rule py-0.5 text-soft">{{ labelled(name) }}</dt>
          <dd class="border-t border-rule py-0.5 break-words">{{ value }}</dd>
        </template>
      </dl>
      <p class="mt-2">
        <a
          :href="`/archives/${id}/machine`"
          class="underline decoration-rule-strong underline-offset-2 hover:text-needle"
          data-machine-link
          >the whole machine on a page</a
        >
        <PinButton class="ml-3" label="Pin what is known of the host as an exhibit" :what="pinOf" />
      </p>
      <h2 class="mt-3 font-serif text-[15px] font-semibold">What changed</h2>
      <ChangeList :changes="changes" />
    </div>
  </HangingPanel>
</template>
