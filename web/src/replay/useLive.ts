import { useQueryClient } from '@tanstack/vue-query'
import { useDocumentVisibility, useIntervalFn } from '@vueuse/core'
import { computed, type Ref } from 'vue'
import type { Archive } from '../api/client'
import { archiveKey } from '../api/queries'
import { toMs } from '../model/instant'

const FRESH_MS = 30_000
const FRESH_EVERY_MS = 500
const OLD_EVERY_MS = 10_000

/**
 * Let the archive grow with its ticks. It is polled: a browser has six connections to a server, and one that is held open by
 * each page leaves the seventh without any (decision 0013). What cannot grow is not polled, nor what is not looked at.
 */
export function useLive(id: Ref<string>, archive: Ref<Archive | undefined>): void {
  const client = useQueryClient()
  const visibility = useDocumentVisibility()
  const everyMs = computed(() => {
    const known = archive.value
    if (known?.source !== 'recorded' || visibility.value !== 'visible') return null
    const isFresh = known.end === null || Date.now() - toMs(known.end) < FRESH_MS
    return isFresh ? Math.max(FRESH_EVERY_MS, Math.min((known.interval_s ?? 1) * 1000, 5_000)) : OLD_EVERY_MS
  })
  useIntervalFn(
    () => {
      if (everyMs.value !== null && !client.isFetching({ queryKey: archiveKey(id.value) }))
        void client.invalidateQueries({ queryKey: archiveKey(id.value) })
    },
    computed(() => everyMs.value ?? OLD_EVERY_MS),
  )
}
