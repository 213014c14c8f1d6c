<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useIntervalFn } from '@vueuse/core'
import { onScopeDispose, ref } from 'vue'
import { spellDuration } from '../model/clock'

/** What has been waited for longer than a second, and for how long. */
const SHOWN_AFTER_MS = 1_000
const LOOKED_AT_EVERY_MS = 500
const cache = useQueryClient().getQueryCache()
const since = new Map<string, number>()
const shown = ref<string | null>(null)

function look(): void {
  const now = Date.now()
  const waits = cache
    .getAll()
    .filter((query) => query.state.fetchStatus === 'fetching' && typeof query.meta?.['doing'] === 'string')
  const there = new Set(waits.map((query) => query.queryHash))
  for (const hash of since.keys()) if (!there.has(hash)) since.delete(hash)
  for (const hash of there) if (!since.has(hash)) since.set(hash, now)
  const long = new Map<string, number>()
  for (const query of waits) {
    const waited = now - (since.get(query.queryHash) ?? now)
    const doing = String(query.meta?.['doing'])
    if (waited >= SHOWN_AFTER_MS) long.set(doing, Math.max(long.get(doing) ?? 0, waited))
  }
  shown.value = long.size
    ? [...long].map(([doing, waited]) => `${doing}, ${spellDuration(Math.floor(waited / 1000))}`).join(' · ')
    : null
  if (!there.size) pause()
}
const { pause, resume } = useIntervalFn(look, LOOKED_AT_EVERY_MS, { immediate: false })
// Looked at only while something is under way: a page at rest costs nothing.
const stop = cache.subscribe(({ query }) => {
  if (query.state.fetchStatus === 'fetching' && typeof query.meta?.['doing'] === 'string') {
    if (!since.has(query.queryHash)) since.set(query.queryHash, Date.now())
    resume()
  }
})
onScopeDispose(stop)
</script>

<template>
  <p
    v-if="shown"
    class="pointer-events-none fixed bottom-14 left-1/2 z-40 -translate-x-1/2 border border-rule-strong bg-leaf px-3 py-1 text-2xs shadow print:hidden"
    role="status"
    data-busy
  >
    <span class="mr-2 inline-block size-2 animate-pulse rounded-full bg-needle" aria-hidden="true" />{{
      shown
    }}
  </p>
</template>
