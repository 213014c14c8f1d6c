/** Files that the server makes, under the names that it gives them, and how far long work is. */

import { api, unwrap } from './client'

export interface MadeFile {
  blob: Blob
  name: string
}

/** A file's answer as it came, of a request with `parseAs: 'blob'`. */
type Requested = Promise<{ data?: unknown; error?: unknown; response: Response }>

/** The file of an answer; throws ApiError for a problem or a lost connection. */
export async function fileOf(request: Requested, otherwise: string): Promise<MadeFile> {
  let name = otherwise
  const noted = async (): Promise<{ data?: Blob; error?: unknown; response: Response }> => {
    const answer = await request
    name = /filename="([^"]+)"/.exec(answer.response.headers.get('content-disposition') ?? '')?.[1] ?? name
    return { ...answer, data: answer.data as Blob | undefined }
  }
  const blob = await unwrap<Blob>(noted())
  return { blob, name }
}

export interface Progress {
  done: number
  total: number
  doing: string
}

/** How far a job is; null where that cannot be known just now. */
export async function progressOf(job: string): Promise<Progress | null> {
  const { data } = await api
    .GET('/api/jobs/{job}', { params: { path: { job } } })
    .catch(() => ({ data: undefined }))
  return data ?? null
}
