import { keepPreviousData, useQuery, type QueryClient, type UseQueryReturnType } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { toInstant } from '../model/instant'
import { textBody } from './body'
import type { Span } from '../model/span'
import {
  api,
  unwrap,
  type ApiError,
  type Archive,
  type Available,
  type Comparison,
  type Counter,
  type Diagnosis,
  type Facts,
  type Filesystem,
  type FindingChange,
  type Gaps,
  type Health,
  type Layout,
  type LogInfo,
  type LogPreview,
  type Marker,
  type Markers,
  type Names,
  type Measure,
  type Moment,
  type PlanEntry,
  type PlanGroup,
  type Placement,
  type Processes,
  type Recorder,
  type SeriesSet,
  type StrainMap,
  type StrainRow,
  type Unusual,
  type Use,
  type Usual,
  type Weeks,
} from './client'

export type Query<T> = UseQueryReturnType<T, ApiError>

const HEALTH_EVERY_MS = 3_000
const LIST_EVERY_MS = 5_000
const AHEAD_MS = 1_000
/** Letters of a search. */
const MOST_TYPED = 120

/** Whether the server and its database answer; polled, so that the page can say so, and recover. */
export function useHealth(): Query<Health> {
  return useQuery<Health, ApiError>({
    queryKey: ['health'],
    queryFn: () => unwrap(api.GET('/api/health')),
    refetchInterval: HEALTH_EVERY_MS,
    retry: false,
  })
}

export function useArchives(): Query<Archive[]> {
  return useQuery<Archive[], ApiError>({
    queryKey: ['archives'],
    meta: { doing: 'reading the list of archives' },
    queryFn: () => unwrap(api.GET('/api/archives')),
    refetchInterval: LIST_EVERY_MS,
  })
}

export const archiveKey = (id: string): string[] => ['archive', id]

const readArchive = (id: string): Promise<Archive> =>
  unwrap(api.GET('/api/archives/{archive_id}', { params: { path: { archive_id: id } } }))

export function useArchive(id: Ref<string>): Query<Archive> {
  return useQuery<Archive, ApiError>({
    queryKey: computed(() => archiveKey(id.value)),
    meta: { doing: 'opening the archive' },
    enabled: computed(() => id.value !== ''),
    queryFn: () => readArchive(id.value),
  })
}

/** Ask for an archive before there is a view to show it. */
export function fetchArchiveAhead(client: QueryClient, id: string): void {
  // Whether it went wrong is reported by the view, which asks again.
  client
    .query({ queryKey: archiveKey(id), queryFn: () => readArchive(id), staleTime: AHEAD_MS })
    .catch(() => undefined)
}

/** Of an archive, once one is named. */
export function useGaps(id: Ref<string | null>): Query<Gaps> {
  return useQuery<Gaps, ApiError>({
    queryKey: computed(() => ['gaps', id.value]),
    enabled: computed(() => id.value !== null),
    queryFn: () =>
      unwrap(
        api.GET('/api/archives/{archive_id}/gaps', { params: { path: { archive_id: id.value ?? '' } } }),
      ),
  })
}

export function useMeasures(): Query<Measure[]> {
  return useQuery<Measure[], ApiError>({
    queryKey: ['measures'],
    queryFn: () => unwrap(api.GET('/api/measures')),
    staleTime: Infinity,
  })
}

/** The measures that an archive can give, each with its devices. */
export function useAvailable(id: Ref<string>): Query<Available[]> {
  return useQuery<Available[], ApiError>({
    queryKey: computed(() => ['available', id.value]),
    enabled: computed(() => id.value !== ''),
    queryFn: () =>
      unwrap(api.GET('/api/archives/{archive_id}/measures', { params: { path: { archive_id: id.value } } })),
  })
}

/** The series of all strips over the window, in one request. Bulk numbers, so without deep reactivity. */
export function useSeriesSet(
  id: Ref<string>,
  window: Ref<Span | null>,
  width: Ref<number>,
  measures: Ref<string[]>,
  means: Ref<number | null> = ref(null),
): Query<SeriesSet> {
  return useQuery<SeriesSet, ApiError>({
    queryKey: computed(() => ['series', id.value, window.value, width.value, measures.value, means.value]),
    meta: { doing: 'reading the strips' },
    enabled: computed(() => window.value !== null && width.value > 0 && measures.value.length > 0),
    placeholderData: keepPreviousData,
    shallow: true,
    structuralSharing: false,
    queryFn: ({ signal }) => {
      const { start, end } = window.value ?? { start: 0, end: 1 }
      const query = {
        measure: measures.value,
        from: toInstant(start),
        to: toInstant(end),
        width: width.value,
        ...(means.value === null ? {} : { bin_s: means.value }),
      }
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/series', { params, signal }))
    },
  })
}

/** How strained each resource was over a whole archive, and each device of those that are open. */
export function useStrain(
  id: Ref<string>,
  extent: Ref<Span | null>,
  width: Ref<number>,
  opened: Ref<StrainRow['resource'][]>,
): Query<StrainMap> {
  return useQuery<StrainMap, ApiError>({
    meta: { doing: 'drawing the map' },
    queryKey: computed(() => ['strain', id.value, extent.value, width.value, opened.value]),
    enabled: computed(() => extent.value !== null && width.value > 0),
    placeholderData: keepPreviousData,
    shallow: true,
    structuralSharing: false,
    queryFn: ({ signal }) => {
      const { start, end } = extent.value ?? { start: 0, end: 1 }
      const query = {
        from: toInstant(start),
        to: toInstant(end),
        width: width.value,
        devices: opened.value,
      }
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/strain', { params, signal }))
    },
  })
}

/** The machine at a moment: some measures (`NAME@*` for those of all devices), or every one. */
export function useMoment(
  id: Ref<string>,
  at: Ref<number | null>,
  measures: Ref<readonly string[] | null>,
): Query<Moment> {
  return useQuery<Moment, ApiError>({
    meta: { doing: 'reading the moment' },
    queryKey: computed(() => ['moment', id.value, at.value, measures.value]),
    enabled: computed(() => at.value !== null),
    placeholderData: keepPreviousData,
    shallow: true,
    queryFn: ({ signal }) => {
      const query = { at: toInstant(at.value ?? 0), measure: measures.value ? [...measures.value] : null }
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/moment', { params, signal }))
    },
  })
}

export function useFilesystems(id: Ref<string>, window: Ref<Span | null>): Query<Filesystem[]> {
  return useQuery<Filesystem[], ApiError>({
    meta: { doing: 'reading the filesystems' },
    queryKey: computed(() => ['filesystems', id.value, window.value]),
    enabled: computed(() => window.value !== null),
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => {
      const { start, end } = window.value ?? { start: 0, end: 1 }
      const params = { path: { archive_id: id.value }, query: { from: toInstant(start), to: toInstant(end) } }
      return unwrap(api.GET('/api/archives/{archive_id}/filesystems', { params, signal }))
    },
  })
}

export function useProcesses(id: Ref<string>, at: Ref<number | null>): Query<Processes> {
  return useQuery<Processes, ApiError>({
    queryKey: computed(() => ['processes', id.value, at.value]),
    enabled: computed(() => at.value !== null),
    placeholderData: keepPreviousData,
    shallow: true,
    queryFn: ({ signal }) => {
      const params = { path: { archive_id: id.value }, query: { at: toInstant(at.value ?? 0) } }
      return unwrap(api.GET('/api/archives/{archive_id}/processes', { params, signal }))
    },
  })
}

/** Who used what over a stretch, the heaviest of a quantity first. */
export function useUse(
  id: Ref<string>,
  span: Ref<Span | null>,
  by: Ref<Use['by']>,
  sort: Ref<Use['sort']>,
  match: Ref<string>,
): Query<Use> {
  return useQuery<Use, ApiError>({
    meta: { doing: 'adding up who used it' },
    queryKey: computed(() => ['use', id.value, span.value, by.value, sort.value, match.value]),
    enabled: computed(() => span.value !== null),
    placeholderData: keepPreviousData,
    shallow: true,
    queryFn: ({ signal }) => {
      const { start, end } = span.value ?? { start: 0, end: 1 }
      const query = {
        from: toInstant(start),
        to: toInstant(end),
        by: by.value,
        sort: sort.value,
        match: match.value.slice(0, MOST_TYPED),
      }
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/use', { params, signal }))
    },
  })
}

export const LAYOUTS_KEY = ['layouts']

/** Layouts that were saved, in their order. */
export function useLayouts(): Query<Layout[]> {
  return useQuery<Layout[], ApiError>({
    queryKey: LAYOUTS_KEY,
    queryFn: () => unwrap(api.GET('/api/layouts')),
    staleTime: 30_000,
  })
}

/** Who ran on which core over a window. */
export function usePlacement(
  id: Ref<string>,
  window: Ref<Span | null>,
  width: Ref<number>,
): Query<Placement> {
  return useQuery<Placement, ApiError>({
    meta: { doing: 'reading who ran where' },
    queryKey: computed(() => ['placement', id.value, window.value, width.value]),
    enabled: computed(() => window.value !== null && width.value > 1),
    placeholderData: keepPreviousData,
    shallow: true,
    structuralSharing: false,
    queryFn: ({ signal }) => {
      const { start, end } = window.value ?? { start: 0, end: 1 }
      const query = { from: toInstant(start), to: toInstant(end), width: width.value }
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/placement', { params, signal }))
    },
  })
}

export const diagnosisKey = (id: string): string[] => ['diagnosis', id]

/** Findings over the whole archive; `grown` is its newest tick, so that a growing archive is judged again. */
export function useDiagnosis(id: Ref<string>, grown: Ref<number | null>): Query<Diagnosis> {
  return useQuery<Diagnosis, ApiError>({
    meta: { doing: 'looking for findings' },
    queryKey: computed(() => [...diagnosisKey(id.value), grown.value]),
    enabled: computed(() => grown.value !== null),
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => {
      const params = { path: { archive_id: id.value } }
      return unwrap(api.GET('/api/archives/{archive_id}/diagnosis', { params, signal }))
    },
  })
}

/** Findings over a window. */
export function useFindingsOf(id: Ref<string>, window: Ref<Span | null>): Query<Diagnosis> {
  return useQuery<Diagnosis, ApiError>({
    meta: { doing: 'looking for findings' },
    queryKey: computed(() => [...diagnosisKey(id.value), 'window', window.value]),
    enabled: computed(() => window.value !== null),
    staleTime: 60_000,
    queryFn: ({ signal }) => {
      const { start, end } = window.value ?? { start: 0, end: 1 }
      const query = { from: toInstant(start), to: toInstant(end) }
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/diagnosis', { params, signal }))
    },
  })
}

interface Sides {
  from: string
  to: string
  with: string
  with_from: string
  with_to: string
}
const sidesOf = (window: Span | null, other: string, reference: Span | null): Sides => ({
  from: toInstant(window?.start ?? 0),
  to: toInstant(window?.end ?? 1),
  with: other,
  with_from: toInstant(reference?.start ?? 0),
  with_to: toInstant(reference?.end ?? 1),
})

/** What is different between a window and a reference. */
export function useComparison(
  id: Ref<string>,
  window: Ref<Span | null>,
  other: Ref<string>,
  reference: Ref<Span | null>,
): Query<Comparison> {
  return useQuery<Comparison, ApiError>({
    meta: { doing: 'comparing' },
    queryKey: computed(() => ['comparison', id.value, window.value, other.value, reference.value]),
    enabled: computed(() => window.value !== null && reference.value !== null),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
    shallow: true,
    queryFn: ({ signal }) => {
      const query = sidesOf(window.value, other.value, reference.value)
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/comparison', { params, signal }))
    },
  })
}

/** A host over weeks: all of its archives as one. */
export function useWeeks(id: Ref<string>): Query<Weeks> {
  return useQuery<Weeks, ApiError>({
    meta: { doing: 'reading the weeks' },
    queryKey: computed(() => ['weeks', id.value]),
    staleTime: 60_000,
    shallow: true,
    queryFn: ({ signal }) => {
      const params = { path: { archive_id: id.value } }
      return unwrap(api.GET('/api/archives/{archive_id}/weeks', { params, signal }))
    },
  })
}

/** What is usual for measures at each hour of a window. */
export function useUsual(
  id: Ref<string>,
  window: Ref<Span | null>,
  measure: Ref<string[]>,
  wanted: Ref<boolean>,
): Query<Usual[]> {
  return useQuery<Usual[], ApiError>({
    meta: { doing: 'learning what is usual' },
    queryKey: computed(() => ['usual', id.value, window.value, measure.value]),
    enabled: computed(() => wanted.value && window.value !== null && measure.value.length > 0),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
    shallow: true,
    queryFn: ({ signal }) => {
      const span = window.value ?? { start: 0, end: 1 }
      const query = { from: toInstant(span.start), to: toInstant(span.end), measure: measure.value }
      return unwrap(
        api.GET('/api/archives/{archive_id}/usual', {
          params: { path: { archive_id: id.value }, query },
          signal,
        }),
      )
    },
  })
}

/** How far beyond what is usual anything was, over the whole archive. */
export function useUnusual(id: Ref<string>, span: Ref<Span | null>, width: Ref<number>): Query<Unusual> {
  return useQuery<Unusual, ApiError>({
    meta: { doing: 'looking for what is unusual' },
    queryKey: computed(() => ['unusual', id.value, span.value, width.value]),
    enabled: computed(() => span.value !== null && width.value > 0),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
    shallow: true,
    queryFn: ({ signal }) => {
      const { start, end } = span.value ?? { start: 0, end: 1 }
      const query = { from: toInstant(start), to: toInstant(end), width: width.value }
      return unwrap(
        api.GET('/api/archives/{archive_id}/unusual', {
          params: { path: { archive_id: id.value }, query },
          signal,
        }),
      )
    },
  })
}

/** Which findings are new, gone, longer or shorter. */
export function useFindingChanges(
  id: Ref<string>,
  window: Ref<Span | null>,
  other: Ref<string>,
  reference: Ref<Span | null>,
): Query<FindingChange[]> {
  return useQuery<FindingChange[], ApiError>({
    meta: { doing: 'judging both' },
    queryKey: computed(() => [
      'comparison',
      id.value,
      window.value,
      other.value,
      reference.value,
      'findings',
    ]),
    enabled: computed(() => window.value !== null && reference.value !== null),
    staleTime: 60_000,
    queryFn: ({ signal }) => {
      const query = sidesOf(window.value, other.value, reference.value)
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/comparison/findings', { params, signal }))
    },
  })
}

export const markersKey = (id: string): string[] => ['markers', id]

/** What was logged, noted and missed in the window; of log lines those that are as bad as `severity`. */
export function useMarkers(
  id: Ref<string>,
  window: Ref<Span | null>,
  severity: Ref<NonNullable<Marker['severity']>>,
): Query<Markers> {
  return useQuery<Markers, ApiError>({
    queryKey: computed(() => [...markersKey(id.value), window.value, severity.value]),
    enabled: computed(() => window.value !== null),
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => {
      const { start, end } = window.value ?? { start: 0, end: 1 }
      const query = { from: toInstant(start), to: toInstant(end), severity: severity.value }
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/markers', { params, signal }))
    },
  })
}

export function useLogs(id: Ref<string>): Query<LogInfo[]> {
  return useQuery<LogInfo[], ApiError>({
    queryKey: computed(() => [...markersKey(id.value), 'logs']),
    enabled: computed(() => id.value !== ''),
    queryFn: ({ signal }) =>
      unwrap(
        api.GET('/api/archives/{archive_id}/logs', { params: { path: { archive_id: id.value } }, signal }),
      ),
  })
}

export interface LineChoice {
  /** One log's; '' are those of all. */
  log: string
  holding: string
  severity: NonNullable<Marker['severity']>
}
/** Lines around a moment that are loaded at once. */
export const MOST_LINES = 200
const LINES_EVERY_MS = 3_000

/** Lines of logs before and after a moment. */
export function useLines(
  id: Ref<string>,
  near: Ref<number | null>,
  choice: Ref<LineChoice>,
  isLive: Ref<boolean>,
): Query<Markers> {
  return useQuery<Markers, ApiError>({
    queryKey: computed(() => [...markersKey(id.value), 'near', near.value, choice.value]),
    enabled: computed(() => near.value !== null),
    placeholderData: keepPreviousData,
    refetchInterval: computed(() => (isLive.value ? LINES_EVERY_MS : false)),
    queryFn: ({ signal }) => {
      const { log, holding, severity } = choice.value
      const query = {
        near: toInstant(near.value ?? 0),
        severity,
        limit: MOST_LINES,
        ...(log ? { log: [log] } : {}),
        ...(holding ? { holding } : {}),
      }
      const params = { path: { archive_id: id.value }, query }
      return unwrap(api.GET('/api/archives/{archive_id}/markers', { params, signal }))
    },
  })
}

export interface LogTimes {
  zone: string
  year?: number
  boot?: string
  written?: string
}

/** How a log's beginning would be read. */
export function useLogPreview(
  id: Ref<string>,
  sample: Ref<Blob | null>,
  times: Ref<LogTimes>,
): Query<LogPreview> {
  let given = 0
  const numbers = new WeakMap<Blob, number>()
  const numberOf = (blob: Blob): number => {
    const known = numbers.get(blob) ?? ++given
    numbers.set(blob, known)
    return known
  }
  return useQuery<LogPreview, ApiError>({
    queryKey: computed(() => [
      'preview',
      id.value,
      sample.value ? numberOf(sample.value) : null,
      times.value,
    ]),
    enabled: computed(() => sample.value !== null),
    gcTime: 0,
    retry: false,
    queryFn: ({ signal }) =>
      unwrap(
        api.POST('/api/archives/{archive_id}/logs/preview', {
          params: { path: { archive_id: id.value }, query: times.value },
          ...textBody(sample.value ?? new Blob()),
          signal,
        }),
      ),
  })
}

export const namesKey = (id: string): string[] => ['names', id]

export function useDeviceNames(id: Ref<string>): Query<Names> {
  return useQuery<Names, ApiError>({
    queryKey: computed(() => namesKey(id.value)),
    enabled: computed(() => id.value !== ''),
    queryFn: () =>
      unwrap(api.GET('/api/archives/{archive_id}/names', { params: { path: { archive_id: id.value } } })),
  })
}

export function useFacts(id: Ref<string>): Query<Facts[]> {
  return useQuery<Facts[], ApiError>({
    queryKey: computed(() => ['facts', id.value]),
    enabled: computed(() => id.value !== ''),
    queryFn: () =>
      unwrap(api.GET('/api/archives/{archive_id}/facts', { params: { path: { archive_id: id.value } } })),
  })
}

const RECORDERS_EVERY_MS = 2_000

export function useRecorders(): Query<Recorder[]> {
  return useQuery<Recorder[], ApiError>({
    queryKey: ['recorders'],
    queryFn: () => unwrap(api.GET('/api/recorders')),
    refetchInterval: RECORDERS_EVERY_MS,
  })
}

export function usePlans(): Query<PlanEntry[]> {
  return useQuery<PlanEntry[], ApiError>({
    queryKey: ['plans'],
    queryFn: () => unwrap(api.GET('/api/plans')),
    refetchInterval: LIST_EVERY_MS,
  })
}

export function usePlanGroups(): Query<PlanGroup[]> {
  return useQuery<PlanGroup[], ApiError>({
    queryKey: ['plan groups'],
    queryFn: () => unwrap(api.GET('/api/plans/groups')),
    staleTime: Infinity,
  })
}

export function useCounters(): Query<Counter[]> {
  return useQuery<Counter[], ApiError>({
    queryKey: ['counters'],
    queryFn: () => unwrap(api.GET('/api/counters')),
    staleTime: Infinity,
  })
}
