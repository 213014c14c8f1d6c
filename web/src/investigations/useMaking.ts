import { useIntervalFn } from '@vueuse/core'
import { ref, type Ref } from 'vue'
import { ApiError } from '../api/client'
import { progressOf, type MadeFile } from '../api/files'
import { saveAs } from '../pictures/usePictures'

const EVERY_MS = 400

export interface Making {
  /** What is being done, in words; null where nothing is. */
  busy: Ref<string | null>
  trouble: Ref<string>
  /** Have a file made under an id by which its progress is known, and save it. */
  save: (make: (job: string) => Promise<MadeFile>) => Promise<void>
}

/** Has the server make a file, says how far it is, and saves it. */
export function useMaking(): Making {
  const busy = ref<string | null>(null)
  const trouble = ref('')
  let job = ''
  async function look(): Promise<void> {
    const found = await progressOf(job)
    if (busy.value !== null && found?.total) busy.value = `${found.doing}, ${found.done} of ${found.total}`
  }
  const looking = useIntervalFn(() => void look(), EVERY_MS, { immediate: false })
  async function save(make: (job: string) => Promise<MadeFile>): Promise<void> {
    job = crypto.randomUUID()
    busy.value = 'preparing'
    trouble.value = ''
    looking.resume()
    try {
      const file = await make(job)
      saveAs(file.blob, file.name)
    } catch (why) {
      if (!(why instanceof ApiError)) throw why
      trouble.value = why.message
    } finally {
      looking.pause()
      busy.value = null
    }
  }
  return { busy, trouble, save }
}
