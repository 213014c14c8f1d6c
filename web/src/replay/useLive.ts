import { useQueryClient } from '@tanstack/vue-query'
import { onScopeDispose, watch, type Ref } from 'vue'
import type { Archive } from '../api/client'
import { archiveKey } from '../api/queries'

/** Hear of new ticks, and let the archive grow with them. */
export function useLive(id: Ref<string>): void {
  const client = useQueryClient()
  let source: EventSource | null = null

  const listen = (archive: string): void => {
    source?.close()
    source = new EventSource(`/api/archives/${archive}/live`)
    source.addEventListener('ticks', (event: MessageEvent<string>) => {
      const { end } = JSON.parse(event.data) as { end: string }
      const known = client.getQueryData<Archive>(archiveKey(archive))
      if (!known || known.end === end) return
      if (known.end === null) void client.invalidateQueries({ queryKey: archiveKey(archive) })
      else client.setQueryData<Archive>(archiveKey(archive), { ...known, end })
    })
  }

  watch(id, listen, { immediate: true })
  onScopeDispose(() => source?.close())
}
