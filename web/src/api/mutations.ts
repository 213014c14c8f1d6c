import { useMutation, useQueryClient, type QueryKey, type UseMutationReturnType } from '@tanstack/vue-query'
import type { Ref } from 'vue'
import type { TypedPlan } from '../recorders/planForm'
import {
  api,
  done,
  unwrap,
  type ApiError,
  type Archive,
  type Finding,
  type Layout,
  type LogKept,
} from './client'
import { textBody } from './body'
import { archiveKey, diagnosisKey, LAYOUTS_KEY, markersKey, namesKey, type LogTimes } from './queries'

export type Write<Input, Output = void> = UseMutationReturnType<Output, ApiError, Input, unknown>

/** A change on the server. What it may have changed is read again, also where it was refused: then what is shown was old. */
function useWrite<Input, Output>(
  write: (input: Input) => Promise<Output>,
  changed: () => QueryKey[],
): Write<Input, Output> {
  const queries = useQueryClient()
  return useMutation<Output, ApiError, Input>({
    mutationFn: write,
    onSettled: () => Promise.all(changed().map((queryKey) => queries.invalidateQueries({ queryKey }))),
  })
}

export type VerdictState = NonNullable<Finding['verdict']>['state']

export function useSaveVerdict(
  archive: Ref<string>,
): Write<{ finding: Finding; state: VerdictState; remark: string }> {
  return useWrite(
    ({ finding: { kind, device, start, end }, state, remark }) =>
      done(
        api.PUT('/api/archives/{archive_id}/verdicts', {
          params: { path: { archive_id: archive.value } },
          body: { kind, device, start, end, state, remark },
        }),
      ),
    () => [diagnosisKey(archive.value)],
  )
}

export function useAddNote(archive: Ref<string>): Write<{ at: string; text: string }> {
  return useWrite(
    ({ at, text }) =>
      done(
        api.POST('/api/archives/{archive_id}/markers', {
          params: { path: { archive_id: archive.value } },
          body: [{ at, kind: 'note', text, source: '', log: '' }],
        }),
      ),
    () => [markersKey(archive.value)],
  )
}

export function useAddLog(
  archive: Ref<string>,
): Write<{ file: Blob; query: LogTimes & { name: string } }, LogKept> {
  return useWrite(
    ({ file, query }) =>
      unwrap(
        api.POST('/api/archives/{archive_id}/logs', {
          params: { path: { archive_id: archive.value }, query },
          ...textBody(file),
        }),
      ),
    () => [markersKey(archive.value), ['series', archive.value]],
  )
}

export type DeviceKind = 'core' | 'disk' | 'interface' | 'filesystem' | 'cgroup' | 'sensor' | 'log' | 'other'

export function useNameDevice(
  archive: Ref<string>,
): Write<{ kind: DeviceKind; device: string; name: string | null }> {
  return useWrite(
    (body) =>
      done(
        api.PUT('/api/archives/{archive_id}/names', {
          params: { path: { archive_id: archive.value } },
          body,
        }),
      ),
    () => [namesKey(archive.value)],
  )
}

export interface Orders {
  plan?: string | null
  recording?: boolean
  burst_s?: number
}
const RECORDING: QueryKey[] = [['recorders'], ['plans']]

export function useDirectRecorder(): Write<{ id: string; orders: Orders }, unknown> {
  return useWrite(
    ({ id, orders }) =>
      unwrap(
        api.PATCH('/api/recorders/{recorder_id}', {
          params: { path: { recorder_id: id } },
          body: orders,
        }),
      ),
    () => RECORDING,
  )
}

export function useForgetRecorder(): Write<string> {
  return useWrite(
    (id) => done(api.DELETE('/api/recorders/{recorder_id}', { params: { path: { recorder_id: id } } })),
    () => RECORDING,
  )
}

export function useSavePlan(): Write<TypedPlan, unknown> {
  return useWrite(
    (plan) =>
      unwrap(
        api.PUT('/api/plans/{name}', {
          params: { path: { name: plan.name || 'unnamed' } },
          // As it was typed: the server judges it, and says of each wrong part where it stands.
          body: plan,
        }),
      ),
    () => RECORDING,
  )
}

export function useDeletePlan(): Write<string> {
  return useWrite(
    (name) => done(api.DELETE('/api/plans/{name}', { params: { path: { name } } })),
    () => RECORDING,
  )
}

const ARCHIVES: QueryKey[] = [['archives'], ['gaps']]
const path = (id: string): { path: { archive_id: string } } => ({ path: { archive_id: id } })

export interface Description {
  name?: string
  notes?: string
  protected?: boolean
}

export function useDescribeArchive(archive: Ref<string>): Write<Description, Archive> {
  return useWrite(
    (body) => unwrap(api.PATCH('/api/archives/{archive_id}', { params: path(archive.value), body })),
    () => [...ARCHIVES, archiveKey(archive.value)],
  )
}

export interface Stretch {
  from: string
  to: string
}

export function useCopyArchive(archive: Ref<string>): Write<Stretch & { name: string }, Archive> {
  return useWrite(
    (body) => unwrap(api.POST('/api/archives/{archive_id}/copies', { params: path(archive.value), body })),
    () => ARCHIVES,
  )
}

export function useTrimArchive(archive: Ref<string>): Write<Stretch, { removed_ticks: number }> {
  return useWrite(
    (body) => unwrap(api.POST('/api/archives/{archive_id}/trim', { params: path(archive.value), body })),
    () => ARCHIVES,
  )
}

export function useDeleteArchive(archive: Ref<string>): Write<undefined> {
  return useWrite(
    () => done(api.DELETE('/api/archives/{archive_id}', { params: path(archive.value) })),
    () => ARCHIVES,
  )
}

export function useRestoreArchive(): Write<string, unknown> {
  return useWrite(
    (id) => unwrap(api.POST('/api/archives/{archive_id}/restore', { params: path(id) })),
    () => ARCHIVES,
  )
}

export function useSaveLayout(): Write<Layout, Layout> {
  return useWrite(
    ({ id, name, host, strips }) =>
      unwrap(
        api.PUT('/api/layouts/{layout_id}', {
          params: { path: { layout_id: id } },
          body: { name, host, strips },
        }),
      ),
    () => [LAYOUTS_KEY],
  )
}

export function useDeleteLayout(): Write<string> {
  return useWrite(
    (id) => done(api.DELETE('/api/layouts/{layout_id}', { params: { path: { layout_id: id } } })),
    () => [LAYOUTS_KEY],
  )
}

export function useRestoreLayout(): Write<string, Layout> {
  return useWrite(
    (id) => unwrap(api.POST('/api/layouts/{layout_id}/restore', { params: { path: { layout_id: id } } })),
    () => [LAYOUTS_KEY],
  )
}

export function useOrderLayouts(): Write<string[], Layout[]> {
  return useWrite(
    (ids) => unwrap(api.PUT('/api/layouts/order', { body: ids })),
    () => [LAYOUTS_KEY],
  )
}
