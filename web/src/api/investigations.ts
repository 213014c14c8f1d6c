/** Investigations and exhibits over the API. */

import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import {
  api,
  done,
  unwrap,
  type ApiError,
  type CaseTimeline,
  type Exhibit,
  type Fields,
  type Investigation,
  type Pin,
} from './client'
import type { Write } from './mutations'
import type { Query } from './queries'

const EVERY_MS = 5_000
export const INVESTIGATIONS_KEY = ['investigations']
export const investigationKey = (id: string): string[] => ['investigation', id]
export const exhibitsKey = (id: string): string[] => ['exhibits', id]
export const timelineKey = (id: string): string[] => ['case timeline', id]
const of = (id: string): { path: { investigation_id: string } } => ({ path: { investigation_id: id } })

export function useInvestigations(): Query<Investigation[]> {
  return useQuery<Investigation[], ApiError>({
    queryKey: INVESTIGATIONS_KEY,
    queryFn: () => unwrap(api.GET('/api/investigations')),
  })
}

/** One of them, looked at again and again: another person may be writing on it. */
export function useInvestigation(id: Ref<string>): Query<Investigation> {
  return useQuery<Investigation, ApiError>({
    queryKey: computed(() => investigationKey(id.value)),
    queryFn: () => unwrap(api.GET('/api/investigations/{investigation_id}', { params: of(id.value) })),
    refetchInterval: EVERY_MS,
  })
}

export function useExhibits(id: Ref<string>, version: Ref<number>): Query<Exhibit[]> {
  return useQuery<Exhibit[], ApiError>({
    // Captions and the order are the investigation's.
    queryKey: computed(() => [...exhibitsKey(id.value), version.value]),
    queryFn: () =>
      unwrap(api.GET('/api/investigations/{investigation_id}/exhibits', { params: of(id.value) })),
    placeholderData: keepPreviousData,
  })
}

export function useCaseTimeline(id: Ref<string>, version: Ref<number>): Query<CaseTimeline> {
  return useQuery<CaseTimeline, ApiError>({
    queryKey: computed(() => [...timelineKey(id.value), version.value]),
    queryFn: () =>
      unwrap(api.GET('/api/investigations/{investigation_id}/timeline', { params: of(id.value) })),
    placeholderData: keepPreviousData,
  })
}

/** A picture of an exhibit in the inks of a theme: SVG that the server drew from the frozen numbers. */
export function usePicture(
  exhibit: Ref<string>,
  place: Ref<number>,
  theme: Ref<'day' | 'night'>,
): Query<string> {
  return useQuery<string, ApiError>({
    queryKey: computed(() => ['exhibit picture', exhibit.value, place.value, theme.value]),
    queryFn: () =>
      unwrap(
        api.GET('/api/exhibits/{exhibit_id}/pictures/{place}', {
          params: { path: { exhibit_id: exhibit.value, place: place.value }, query: { theme: theme.value } },
          parseAs: 'text',
        }) as Promise<{ data?: string; error?: unknown; response: Response }>,
      ),
    staleTime: Infinity,
  })
}

function useWriteOn<Input, Output>(
  write: (input: Input) => Promise<Output>,
  changed: (input: Input) => string[][],
): Write<Input, Output> {
  const queries = useQueryClient()
  return useMutation<Output, ApiError, Input>({
    mutationFn: write,
    onSettled: (_data, _error, input) =>
      Promise.all(changed(input).map((queryKey) => queries.invalidateQueries({ queryKey }))),
  })
}

export function useOpenInvestigation(): Write<{ id: string; fields: Fields }, Investigation> {
  return useWriteOn(
    ({ id, fields }) =>
      unwrap(api.PUT('/api/investigations/{investigation_id}', { params: of(id), body: fields })),
    () => [INVESTIGATIONS_KEY],
  )
}

export function useChangeInvestigation(
  id: Ref<string>,
): Write<{ version: number; fields: Fields }, Investigation> {
  return useWriteOn(
    (body) => unwrap(api.PATCH('/api/investigations/{investigation_id}', { params: of(id.value), body })),
    () => [INVESTIGATIONS_KEY, investigationKey(id.value)],
  )
}

export function useKeepArchives(id: Ref<string>): Write<boolean, Investigation> {
  return useWriteOn(
    (keeps) =>
      unwrap(
        api.PUT('/api/investigations/{investigation_id}/keeps', { params: of(id.value), body: { keeps } }),
      ),
    () => [investigationKey(id.value)],
  )
}

export function useDeleteInvestigation(): Write<string> {
  return useWriteOn(
    (id) => done(api.DELETE('/api/investigations/{investigation_id}', { params: of(id) })),
    () => [INVESTIGATIONS_KEY],
  )
}

export function useRestoreInvestigation(): Write<string, Investigation> {
  return useWriteOn(
    (id) => unwrap(api.POST('/api/investigations/{investigation_id}/restore', { params: of(id) })),
    () => [INVESTIGATIONS_KEY],
  )
}

export function useCopyInvestigation(): Write<string, Investigation> {
  return useWriteOn(
    (id) => unwrap(api.POST('/api/investigations/{investigation_id}/copy', { params: of(id) })),
    () => [INVESTIGATIONS_KEY],
  )
}

export interface Pinning {
  investigation: string
  exhibit: string
  pin: Pin
}
const onExhibits = (id: string): string[][] => [
  INVESTIGATIONS_KEY,
  investigationKey(id),
  exhibitsKey(id),
  timelineKey(id),
]

export function usePin(): Write<Pinning, Exhibit> {
  return useWriteOn(
    ({ investigation, exhibit, pin }) =>
      unwrap(
        api.PUT('/api/investigations/{investigation_id}/exhibits/{exhibit_id}', {
          params: { path: { investigation_id: investigation, exhibit_id: exhibit } },
          body: pin,
        }),
      ),
    ({ investigation }) => onExhibits(investigation),
  )
}

interface Unpinning {
  investigation: string
  exhibit: string
}

export function useRemoveExhibit(): Write<Unpinning> {
  return useWriteOn(
    ({ exhibit }) =>
      done(api.DELETE('/api/exhibits/{exhibit_id}', { params: { path: { exhibit_id: exhibit } } })),
    ({ investigation }) => onExhibits(investigation),
  )
}

export function useRestoreExhibit(): Write<Unpinning> {
  return useWriteOn(
    ({ exhibit }) =>
      done(api.POST('/api/exhibits/{exhibit_id}/restore', { params: { path: { exhibit_id: exhibit } } })),
    ({ investigation }) => onExhibits(investigation),
  )
}
