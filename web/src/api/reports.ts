/** Reports as files, with how far they are. */

import { api, unwrap, type ApiError } from './client'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import type { Query } from './queries'

export type ReportKind = 'html' | 'pdf' | 'zip'

export interface Preview {
  html: string
  markdown: string
}

export function usePreview(
  id: Ref<string>,
  markdown: Ref<string | null>,
  version: Ref<number>,
): Query<Preview> {
  return useQuery<Preview, ApiError>({
    queryKey: computed(() => ['report', id.value, markdown.value, version.value]),
    queryFn: ({ signal }) =>
      unwrap(
        api.POST('/api/investigations/{investigation_id}/report/preview', {
          params: { path: { investigation_id: id.value } },
          body: { markdown: markdown.value },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    gcTime: 0,
  })
}

type Answer = Promise<{ data?: Blob; error?: unknown; response: Response }>

/** The report as a file, under the name that the server gives it. */
export async function fetchReport(
  id: string,
  kind: ReportKind,
  paper: 'A4' | 'letter',
  job: string,
): Promise<{ blob: Blob; name: string }> {
  let name = `report.${kind}`
  const noted = async (answer: Promise<unknown>): Answer => {
    const found = (await answer) as Awaited<Answer>
    name = /filename="([^"]+)"/.exec(found.response.headers.get('content-disposition') ?? '')?.[1] ?? name
    return found
  }
  const path = { investigation_id: id }
  const requests = {
    html: () =>
      api.GET('/api/investigations/{investigation_id}/report.html', {
        params: { path, query: { job } },
        parseAs: 'blob',
      }),
    pdf: () =>
      api.GET('/api/investigations/{investigation_id}/report.pdf', {
        params: { path, query: { job, paper } },
        parseAs: 'blob',
      }),
    zip: () =>
      api.GET('/api/investigations/{investigation_id}/report.zip', {
        params: { path, query: { job } },
        parseAs: 'blob',
      }),
  }
  const blob = await unwrap<Blob>(noted(requests[kind]()))
  return { blob, name }
}

/** How far a job is; null where that cannot be known just now. */
export async function progressOf(
  job: string,
): Promise<{ done: number; total: number; doing: string } | null> {
  const { data } = await api
    .GET('/api/jobs/{job}', { params: { path: { job } } })
    .catch(() => ({ data: undefined }))
  return data ?? null
}
