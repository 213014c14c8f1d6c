<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { useArchives } from '../api/queries'
import type { Fields } from '../api/client'
import { toInstant, toMs } from '../model/instant'
import { parseTypedSpan } from '../model/typedTime'
import { useZone } from '../usePreferences'
import { spellWindow } from '../model/clock'
import type { Draft } from './useDraft'
import { PATTERNS } from './words'

/** When and where, as something that can be opened: the window, the hosts, what it is held against, and when it changed. */
const props = defineProps<{ draft: Draft; fixed: boolean }>()
const zone = useZone()
const router = useRouter()
const { data: archives } = useArchives()
const window = computed(() => props.draft.value('window') as Fields['window'])
const reference = computed(() => props.draft.value('reference') as Fields['reference'])
const hosts = computed(() => (props.draft.value('hosts') as string[] | null) ?? [])
const spelled = (span: Fields['window']): string =>
  span ? spellWindow(toMs(span.start), toMs(span.end), zone.value) : ''
const first = computed(() =>
  archives.value?.find(({ id, host }) => hosts.value.includes(id) || hosts.value.includes(host.id)),
)
function typed(path: 'window' | 'reference', event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return
  const near = first.value?.end ? toMs(first.value.end) : Date.now()
  const text = event.target.value.trim()
  const span = text ? parseTypedSpan(text, near, zone.value) : null
  event.target.setCustomValidity(text && !span ? 'such as 13 Nov 05:30 – 08:30' : '')
  event.target.reportValidity()
  if (text && !span) return
  props.draft.set(path, span && { start: toInstant(span.start), end: toInstant(span.end), archive: null })
}
function add(event: Event): void {
  if (!(event.target instanceof HTMLSelectElement) || !event.target.value) return
  props.draft.set('hosts', [...new Set([...hosts.value, event.target.value])])
  event.target.value = ''
}
const nameOf = (id: string): string => {
  const found = archives.value?.find((item) => item.id === id)
  if (found) return `${found.host.name} ▸ ${found.name}`
  return archives.value?.find(({ host }) => host.id === id)?.host.name ?? 'an archive that is gone'
}
const query = computed((): Record<string, string> =>
  window.value ? { from: window.value.start, to: window.value.end } : {},
)
function compare(id: string): void {
  const held = reference.value
  void router.push({
    name: 'compare',
    params: { id },
    query: { ...query.value, ...(held ? { with_from: held.start, with_to: held.end } : {}) },
  })
}
</script>

<template>
  <div class="space-y-1" data-complaint-window>
    <div class="grid grid-cols-[5rem_minmax(0,1fr)] gap-x-2">
      <label class="text-soft" for="complaint-window">window</label>
      <span class="min-w-0">
        <input
          id="complaint-window"
          :value="spelled(window)"
          class="w-full min-w-0 border-b border-transparent bg-transparent py-0.5 placeholder:text-soft placeholder:italic hover:border-rule-strong focus:border-rule-strong"
          placeholder="13 Nov 05:30 – 08:30"
          :readonly="fixed"
          data-window
          @change="typed('window', $event)"
        />
        <select
          :value="draft.text('pattern')"
          class="-ml-1 bg-transparent disabled:opacity-100"
          :class="draft.text('pattern') ? '' : 'text-soft italic'"
          aria-label="How often"
          :disabled="fixed"
          @change="draft.set('pattern', ($event.target as HTMLSelectElement).value)"
        >
          <option v-for="pattern in PATTERNS" :key="pattern" :value="pattern">
            {{ pattern || 'how often?' }}
          </option>
        </select>
      </span>
    </div>
    <div class="grid grid-cols-[5rem_minmax(0,1fr)] gap-x-2">
      <label class="text-soft" for="complaint-reference">against</label>
      <input
        id="complaint-reference"
        :value="spelled(reference)"
        class="w-full min-w-0 border-b border-transparent bg-transparent py-0.5 placeholder:text-soft placeholder:italic hover:border-rule-strong focus:border-rule-strong"
        placeholder="a stretch that was as usual"
        :readonly="fixed"
        data-reference
        @change="typed('reference', $event)"
      />
    </div>
    <div class="grid grid-cols-[5rem_minmax(0,1fr)] gap-x-2">
      <span class="text-soft">hosts</span>
      <div class="min-w-0">
        <p v-for="host in hosts" :key="host" class="flex min-w-0 items-baseline gap-2">
          <RouterLink
            class="truncate underline decoration-rule-strong underline-offset-2 hover:text-needle"
            :to="{ name: 'workbench', params: { id: host }, query }"
            :title="`Open ${nameOf(host)} at the window`"
            >{{ nameOf(host) }}</RouterLink
          >
          <button
            v-if="window && reference"
            type="button"
            class="text-2xs whitespace-nowrap text-soft underline underline-offset-2 hover:text-needle"
            @click="compare(host)"
          >
            compare
          </button>
          <button
            v-if="!fixed"
            type="button"
            class="text-soft hover:text-needle"
            :aria-label="`Without ${nameOf(host)}`"
            @click="
              draft.set(
                'hosts',
                hosts.filter((item) => item !== host),
              )
            "
          >
            ×
          </button>
        </p>
        <select
          v-if="!fixed"
          class="w-full bg-transparent text-soft italic"
          aria-label="Add a host"
          data-add-host
          @change="add"
        >
          <option value="">{{ hosts.length ? 'another' : 'still open' }}</option>
          <option v-for="item in archives ?? []" :key="item.id" :value="item.id">
            {{ item.host.name }} ▸ {{ item.name }}
          </option>
        </select>
      </div>
    </div>
  </div>
</template>
