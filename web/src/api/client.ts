import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Archive = components['schemas']['ArchiveOut']
export type SeriesSet = components['schemas']['SeriesSetOut']
export type Available = components['schemas']['AvailableOut']
export type StrainMap = components['schemas']['StrainMapOut']
export type StrainRow = components['schemas']['StrainRowOut']
export type Series = components['schemas']['SeriesOut']
export type Summary = components['schemas']['SummaryOut']
export type Moment = components['schemas']['MomentOut']
export type Process = components['schemas']['ProcessOut']
export type Thread = components['schemas']['ThreadOut']
export type Processes = components['schemas']['ProcessesOut']
export type Diagnosis = components['schemas']['DiagnosisOut']
export type Finding = components['schemas']['FindingOut']
export type RuledOut = components['schemas']['RuledOutOut']
export type Use = components['schemas']['UseOut']
export type Layout = components['schemas']['LayoutOut']
export type Placement = components['schemas']['PlacementOut']
export type UseRow = components['schemas']['UseRowOut']
export type Evidence = components['schemas']['EvidenceOut']
export type Measure = components['schemas']['MeasureOut']
export type Recorder = components['schemas']['RecorderOut']
export type PlanEntry = components['schemas']['PlanOut']
export type PlanGroup = components['schemas']['GroupOut']
export type Marker = components['schemas']['MarkerOut']
export type Markers = components['schemas']['MarkersOut']
export type Comparison = components['schemas']['ComparisonOut']
export type Weeks = components['schemas']['WeeksOut']
export type SlowChange = components['schemas']['SlowChangeOut']
export type Strained = components['schemas']['StrainedOut']
export type RoomLeft = components['schemas']['LeftOut']
export type Growth = components['schemas']['GrowthOut']
export type Usual = components['schemas']['UsualOut']
export type Unusual = components['schemas']['UnusualOut']
export type Difference = components['schemas']['DifferenceOut']
export type FindingChange = components['schemas']['FindingChangeOut']
export type LogInfo = components['schemas']['LogOut']
export type LogPreview = components['schemas']['LogPreviewOut']
export type LogKept = components['schemas']['LogKeptOut']
export type Health = components['schemas']['HealthOut']
export type Gap = components['schemas']['GapOut']
export type Gaps = components['schemas']['GapsOut']
export type Facts = components['schemas']['FactsOut']
export type HostFacts = Facts['facts']
export type PlanDocument = PlanEntry['plan']
export type Resource = components['schemas']['Resource']
export type Unit = components['schemas']['Unit']
export type FindingKind = Finding['kind']
export type Names = Record<string, Record<string, string>>
export type Filesystem = components['schemas']['FilesystemOut']
export type Counter = components['schemas']['CounterOut']
export type Investigation = components['schemas']['InvestigationOut']
export type Fields = components['schemas']['Fields']
export type Hypothesis = components['schemas']['Hypothesis']
export type Exhibit = components['schemas']['ExhibitOut']
export type ShownPart = components['schemas']['ShownPartOut']
export type CaseTimeline = components['schemas']['TimelineOut']
export type CaseEvent = components['schemas']['EventOut']
export type Pin = NonNullable<
  paths['/api/investigations/{investigation_id}/exhibits/{exhibit_id}']['put']['requestBody']
>['content']['application/json']
export type PinnedStrip = components['schemas']['StripIn']
type Problem = components['schemas']['ProblemOut']

/** One wrong part of what was sent, and what would be right. */
export type Wrong = components['schemas']['WrongPartOut']

export const api = createClient<paths>({
  baseUrl: 'location' in globalThis ? location.origin : 'http://localhost',
  // Looked up at each request, so that tests can answer in the server's place.
  fetch: (request) => globalThis.fetch(request),
  querySerializer: { array: { style: 'form', explode: true } },
})

/** A problem that the server reported, or that it could not be reached (status 0). */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    detail: string,
    readonly wrong: Wrong[] = [],
    /** What else the problem says of itself (RFC 9457, extension members). */
    readonly more: Record<string, unknown> = {},
  ) {
    super(detail)
  }

  /** Trouble that passes by itself: the server or its database is away. */
  get passes(): boolean {
    return this.status === 0 || this.status === 503
  }
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

const isProblem = (body: unknown): body is Problem =>
  typeof body === 'object' && body !== null && 'detail' in body

/** The data of an answer; throws ApiError for a problem or a lost connection. */
export async function unwrap<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await request
  } catch (why) {
    if (why instanceof DOMException && why.name === 'AbortError') throw why
    throw new ApiError(0, 'Server away', 'The server does not answer. Is ./reditus still running?')
  }
  if (answer.data !== undefined) return answer.data
  if (isProblem(answer.error)) {
    const { title, detail, errors } = answer.error
    throw new ApiError(answer.response.status, title, detail, errors ?? [], { ...answer.error })
  }
  throw new ApiError(
    answer.response.status,
    'Unexpected response',
    `The server answered ${answer.response.status}.`,
  )
}

/** Like `unwrap`, for what answers without content. */
export async function done(request: Promise<Answer<unknown>>): Promise<void> {
  const answer = await request.catch(() => undefined)
  if (!answer?.response.ok) await unwrap(answer ? Promise.resolve(answer) : request)
}
