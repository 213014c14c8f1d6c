/** Files that come in: sent part by part, looked at, read, and followed until they are in an archive. */

import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { textBody } from './body'
import { api, unwrap, type ApiError } from './client'
import type { Write } from './mutations'
import type { Query } from './queries'
import type { components } from './schema'

export type ImportItem = components['schemas']['ImportOut']
type Given = components['schemas']['TableMapping']
export type ColumnMapping = Required<components['schemas']['ColumnMapping']>
type LongMapping = Omit<Required<components['schemas']['LongMapping']>, 'meanings'> & { meanings: Meanings }
/** As the server answers it: nothing is left to defaults. */
export type TableMapping = Omit<Required<Given>, 'columns' | 'time' | 'long'> & {
  columns: ColumnMapping[]
  long: LongMapping | null
  time: Required<components['schemas']['TimeMapping']>
}
export type Meaning = Required<components['schemas']['Meaning']>
/** What names mean; null leaves one out. */
export type Meanings = Record<string, Meaning | null>
export type TextLayout = Omit<Required<components['schemas']['TextLayout']>, 'names'> & { names: Meanings }
export type LookColumn = components['schemas']['LookColumnOut']
export type LookName = Omit<components['schemas']['LookNameOut'], 'meaning'> & {
  /** null where it is left out. */
  meaning: Meaning | null
}
export type Look = Omit<components['schemas']['LookOut'], 'mapping' | 'layout' | 'names'> & {
  /** Of a table with a row a value, and of printed text. */
  names: LookName[]
  mapping: TableMapping | null
  /** Of text that is printed at an interval, in place of a mapping. */
  layout: TextLayout | null
}
export type FileFormat = components['schemas']['FormatOut']

export const IMPORTS_KEY = ['imports']
const AT_WORK_MS = 500
const AT_REST_MS = 10_000
const AT_WORK = ['queued', 'reading', 'storing']

export const isAtWork = (item: ImportItem): boolean => AT_WORK.includes(item.state)

/** All imports, the newest first; followed closely while one is being read. */
export function useImports(): Query<ImportItem[]> {
  return useQuery<ImportItem[], ApiError>({
    queryKey: IMPORTS_KEY,
    queryFn: () => unwrap(api.GET('/api/imports')),
    refetchInterval: ({ state }) => (state.data?.some(isAtWork) ? AT_WORK_MS : AT_REST_MS),
  })
}

export function useFormats(): Query<FileFormat[]> {
  return useQuery<FileFormat[], ApiError>({
    queryKey: ['formats'],
    queryFn: () => unwrap(api.GET('/api/formats')),
    staleTime: Infinity,
  })
}

const path = (id: string): { path: { import_id: string } } => ({ path: { import_id: id } })

export const announce = (id: string, file: File): Promise<ImportItem> =>
  unwrap(
    api.PUT('/api/imports/{import_id}', {
      params: path(id),
      body: { name: file.name, size_bytes: file.size },
    }),
  )

export const sendPart = (id: string, offset: number, part: Blob): Promise<ImportItem> =>
  unwrap(
    api.PUT('/api/imports/{import_id}/content', {
      params: { ...path(id), query: { offset } },
      ...textBody(part),
      headers: { 'content-type': 'application/octet-stream' },
    }),
  )

/** What a file is taken for, by a mapping; null: as it is guessed, or as the last such file was read. */
export function useLook(
  id: Ref<string>,
  mapping: Ref<TableMapping | null>,
  layout: Ref<TextLayout | null>,
): Query<Look> {
  return useQuery<Look, ApiError>({
    queryKey: computed(() => ['look', id.value, mapping.value, layout.value]),
    queryFn: async ({ signal }) =>
      (await unwrap(
        api.POST('/api/imports/{import_id}/look', {
          params: path(id.value),
          body: { mapping: mapping.value, layout: layout.value },
          signal,
        }),
      )) as Look,
    placeholderData: (before) => before,
    retry: false,
    gcTime: 0,
  })
}

export interface Options {
  host?: string
  name?: string
  mapping?: TableMapping
  layout?: TextLayout
}

export function useStartImport(): Write<{ id: string; options: Options }, ImportItem> {
  const queries = useQueryClient()
  return useMutation<ImportItem, ApiError, { id: string; options: Options }>({
    mutationFn: ({ id, options }) =>
      unwrap(api.POST('/api/imports/{import_id}/start', { params: path(id), body: options })),
    onSettled: () => queries.invalidateQueries({ queryKey: IMPORTS_KEY }),
  })
}

export function useCancelImport(): Write<string, ImportItem> {
  const queries = useQueryClient()
  return useMutation<ImportItem, ApiError, string>({
    mutationFn: (id) => unwrap(api.POST('/api/imports/{import_id}/cancel', { params: path(id) })),
    onSettled: () => queries.invalidateQueries({ queryKey: IMPORTS_KEY }),
  })
}

export function useRemoveImport(): Write<string, unknown> {
  const queries = useQueryClient()
  return useMutation<unknown, ApiError, string>({
    mutationFn: (id) => unwrap(api.DELETE('/api/imports/{import_id}', { params: path(id) })),
    onSettled: () => queries.invalidateQueries({ queryKey: IMPORTS_KEY }),
  })
}
