import { useQueryClient } from '@tanstack/vue-query'
import { reactive } from 'vue'
import { ApiError } from '../api/client'
import { announce, IMPORTS_KEY, sendPart, type ImportItem } from '../api/imports'

const PART_BYTES = 8 << 20
const MOST_TRIES = 5
const AGAIN_MS = 1_000

export interface Upload {
  name: string
  size: number
  sent: number
  /** Why it does not go on; null while it does. */
  trouble: string | null
}

export interface Uploads {
  /** What is being sent from this page, by import. */
  running: Map<string, Upload>
  /** Send a file; one of the same name and size that was broken off goes on where it was. */
  send: (file: File, broken: ImportItem | null) => Promise<void>
  /** Send nothing more of it. */
  stop: (id: string) => void
}

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms))

/** Sends files part by part. A part that is lost is sent again, from where the server has the file. */
export function useUploads(): Uploads {
  const queries = useQueryClient()
  const running = reactive(new Map<string, Upload>())
  const again = (): Promise<void> => queries.invalidateQueries({ queryKey: IMPORTS_KEY })

  async function send(file: File, broken: ImportItem | null): Promise<void> {
    const id = broken?.id ?? crypto.randomUUID()
    const upload = reactive<Upload>({ name: file.name, size: file.size, sent: 0, trouble: null })
    running.set(id, upload)
    try {
      upload.sent = (await announce(id, file)).received_bytes
      await again()
      await sendAll(id, file, upload)
      running.delete(id)
    } catch (why) {
      if (!(why instanceof ApiError)) throw why
      upload.trouble = why.message
    }
    await again()
  }

  async function sendAll(id: string, file: File, upload: Upload): Promise<void> {
    let tries = 0
    while (upload.sent < file.size && running.has(id)) {
      try {
        const part = file.slice(upload.sent, upload.sent + PART_BYTES)
        upload.sent = (await sendPart(id, upload.sent, part)).received_bytes
        tries = 0
      } catch (why) {
        tries += 1
        if (!(why instanceof ApiError) || tries >= MOST_TRIES || !running.has(id)) throw why
        await wait(AGAIN_MS * tries)
        upload.sent = (await announce(id, file)).received_bytes
      }
    }
  }
  return { running, send, stop: (id) => running.delete(id) }
}
