/** Reports: previewed, and as files. */

import { api, unwrap, type ApiError } from './client'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { fileOf, type MadeFile } from './files'
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

/** The report as a file. */
export function fetchReport(
  id: string,
  kind: ReportKind,
  paper: 'A4' | 'letter',
  job: string,
): Promise<MadeFile> {
  const path = { investigation_id: id }
  const request = {
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
  return fileOf(request[kind](), `report.${kind}`)
}
