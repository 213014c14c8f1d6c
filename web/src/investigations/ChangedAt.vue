<script setup lang="ts">
import { computed } from 'vue'
import { useArchives } from '../api/queries'
import { spellInstant } from '../model/clock'
import { toInstant, toMs } from '../model/instant'
import { parseTyped } from '../model/typedTime'
import { useZone } from '../usePreferences'
import type { Draft } from './useDraft'

/** When something changed, where that is known: a mark on the axis. */
const props = defineProps<{ draft: Draft; fixed: boolean }>()
const zone = useZone()
const { data: archives } = useArchives()
const at = computed(() => props.draft.text('changed_at'))
/** Times are typed as in the newest archive of the hosts: "Thu 06:00" is the last Thursday that it knows. */
const newest = computed(() => {
  const hosts = (props.draft.value('hosts') as string[] | null) ?? []
  const own = archives.value?.filter(({ id, host }) => hosts.includes(id) || hosts.includes(host.id))
  return Math.max(...(own ?? []).flatMap(({ end }) => (end === null ? [] : toMs(end))), 0) || Date.now()
})
function typed(event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return
  const text = event.target.value.trim()
  const found = text ? parseTyped(text, newest.value, zone.value) : null
  event.target.setCustomValidity(text && found === null ? 'such as 12 Nov 06:00' : '')
  event.target.reportValidity()
  if (!text || found !== null) props.draft.set('changed_at', found === null ? null : toInstant(found))
}
</script>

<template>
  <div class="grid grid-cols-[5rem_minmax(0,1fr)] gap-x-2">
    <label class="text-soft" for="changed-at">at</label>
    <input
      id="changed-at"
      :value="at ? spellInstant(toMs(at), zone) : ''"
      class="w-full min-w-0 border-b border-transparent bg-transparent py-0.5 placeholder:text-soft placeholder:italic hover:border-rule-strong focus:border-rule-strong"
      placeholder="when, if that is known"
      :readonly="fixed"
      data-changed-at
      @change="typed"
    />
  </div>
</template>
