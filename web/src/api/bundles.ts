/** Bundles: what is inside, making one, and opening one that was sent to you. */

import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { textBody } from './body'
import { api, unwrap, type ApiError, type Investigation } from './client'
import { fileOf, type MadeFile } from './files'
import { INVESTIGATIONS_KEY } from './investigations'
import type { Write } from './mutations'
import type { Query } from './queries'
import type { components } from './schema'

export type BundleChoices = components['schemas']['BundleIn']
export type BundleInside = components['schemas']['BundleInsideOut']
export type Category = components['schemas']['Category']

export function useInside(
  id: Ref<string>,
  choices: Ref<BundleChoices>,
  version: Ref<number>,
): Query<BundleInside> {
  return useQuery<BundleInside, ApiError>({
    queryKey: computed(() => ['bundle', id.value, choices.value, version.value]),
    queryFn: ({ signal }) =>
      unwrap(
        api.POST('/api/investigations/{investigation_id}/bundle/inside', {
          params: { path: { investigation_id: id.value } },
          body: choices.value,
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 0,
  })
}

/** The bundle as a file. */
export const fetchBundle = (id: string, choices: BundleChoices, job: string): Promise<MadeFile> =>
  fileOf(
    api.POST('/api/investigations/{investigation_id}/bundle', {
      params: { path: { investigation_id: id }, query: { job } },
      body: choices,
      parseAs: 'blob',
    }),
    'investigation.reditus.zip',
  )

export function useOpenBundle(): Write<Blob, Investigation> {
  const queries = useQueryClient()
  return useMutation<Investigation, ApiError, Blob>({
    mutationFn: (file) =>
      unwrap(
        api.POST('/api/bundles', {
          ...textBody(file),
          headers: { 'content-type': 'application/vnd.reditus.bundle+zip' },
        }),
      ),
    onSettled: () =>
      Promise.all(
        [INVESTIGATIONS_KEY, ['archives']].map((queryKey) => queries.invalidateQueries({ queryKey })),
      ),
  })
}
