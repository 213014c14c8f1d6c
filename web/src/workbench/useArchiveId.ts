import { computed, watch, type ComputedRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useArchives } from '../api/queries'

const WHOLE = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i
const LEAST_LETTERS = 4

interface ArchiveId {
  /** The whole id of the archive that the address names; empty while it is not known. */
  id: ComputedRef<string>
  /** Why there is none. */
  problem: ComputedRef<string | null>
}

/** The address may name an archive by its id, by the beginning of that as the command line prints it, or by its name. */
export function useArchiveId(): ArchiveId {
  const route = useRoute()
  const router = useRouter()
  const { data: archives } = useArchives()
  const named = computed(() => String(route.params['id']))
  const isWhole = computed(() => WHOLE.test(named.value))
  const found = computed(() => {
    const all = archives.value ?? []
    const text = named.value.toLowerCase()
    const alike = all.filter((item) => text.length >= LEAST_LETTERS && item.id.startsWith(text))
    return [...new Set([...alike, ...all.filter((item) => item.name.toLowerCase() === text)])]
  })
  watch(
    () => (isWhole.value || found.value.length !== 1 ? null : found.value[0]?.id),
    (id) => {
      if (id) void router.replace({ params: { id }, query: route.query })
    },
    { immediate: true },
  )
  return {
    id: computed(() => (isWhole.value ? named.value : '')),
    problem: computed(() => {
      if (isWhole.value || !archives.value || found.value.length === 1) return null
      return found.value.length
        ? `${found.value.length} archives are called “${named.value}” or begin so; open the one that is meant from the list.`
        : `No archive has the id or the name “${named.value}”, and no id begins so.`
    }),
  }
}
