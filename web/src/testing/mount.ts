/** Mount a component as the page does: with its stores, its queries, its router, and an open archive. */
import './browser'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { onTestFinished, vi } from 'vitest'
import { computed, h, ref, shallowRef, type Component } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import type { Archive, Diagnosis, Markers, SeriesSet } from '../api/client'
import type { Severity } from '../notes/markers'
import { toMs } from '../model/instant'
import { provideNames } from '../names/useNames'
import { useWorkbench } from '../useWorkbench'
import { SESSION, type Session } from '../workbench/session'
import type { Moves } from '../workbench/useMoves'
import type { ChartedMeasure } from '../workbench/useKnown'
import { anArchive } from './samples'

/** What the server answers, by method and path: `GET /api/archives`. A function sees the request's body. */
export type Answers = Record<string, unknown>
export interface Sent {
  method: string
  path: string
  body: unknown
}

const refusal = ({ status, detail, errors, more }: Refusal): Response =>
  Response.json({ type: 'about:blank', title: 'Refused', status, detail, errors, ...more }, { status })

const NOTHING_UNUSUAL = { start: '2026-11-12T00:00:00Z', bin_s: 60, strain: [], most: [], names: [] }

/** A server that answers with these, and keeps what it was sent. Whatever is not among them is empty. */
function serve(answers: Answers): Sent[] {
  const sent: Sent[] = []
  vi.stubGlobal('fetch', async (input: Request) => {
    const path = decodeURIComponent(new URL(input.url).pathname)
    const key = `${input.method} ${path}`
    const text = await input.clone().text()
    const body: unknown = text ? JSON.parse(text) : null
    if (input.method !== 'GET') sent.push({ method: input.method, path, body })
    const answer = answers[key]
    if (answer instanceof Refusal) return refusal(answer)
    if (input.method === 'DELETE') return new Response(null, { status: 204 })
    return Response.json(answer ?? (path.endsWith('/unusual') ? NOTHING_UNUSUAL : []))
  })
  return sent
}

const BLANK = { render: () => h('i') }

export class Refusal {
  constructor(
    readonly status: number,
    readonly detail: string,
    readonly errors: unknown[] = [],
    /** Extension members of the problem. */
    readonly more: Record<string, unknown> = {},
  ) {}
}

export interface Opened {
  archive?: Archive
  charted?: ChartedMeasure[]
  set?: SeriesSet
  since?: SeriesSet
  diagnosis?: Diagnosis
  markers?: Markers
  isLive?: boolean
}

/** A session without a server: what is known is given, and moves are spies. */
function aSession(opened: Opened): Session {
  const archive = opened.archive ?? anArchive()
  return {
    id: ref(archive.id),
    archive: ref(archive),
    error: ref(null),
    isPending: ref(false),
    isLive: ref(opened.isLive ?? false),
    charted: computed(() => opened.charted ?? []),
    devices: computed(() => [
      { kind: 'disk' as const, name: 'sdb' },
      { kind: 'core' as const, name: '3' },
    ]),
    window: {
      width: ref(600),
      measures: computed(() => []),
      set: shallowRef(opened.set),
      error: ref(null),
      isFetching: ref(false),
      answered: shallowRef(new Set<string>()),
      since: computed(() => opened.since),
      markers: ref(opened.markers),
      reference: computed(() => null),
      usual: computed(() => []),
      changes: computed(() => []),
      severity: ref<Severity>('warning'),
    },
    judgement: {
      diagnosis: ref(opened.diagnosis),
      isPending: ref(false),
      findings: computed(() => opened.diagnosis?.findings ?? []),
      gaps: computed(() => []),
      gapSpans: computed(() => []),
    },
    moves: {
      step: vi.fn<Moves['step']>(),
      zoom: vi.fn<Moves['zoom']>(),
      pan: vi.fn<Moves['pan']>(),
      find: vi.fn<Moves['find']>(),
      findTime: vi.fn<Moves['findTime']>(),
      jump: vi.fn<Moves['jump']>(),
      jumpGap: vi.fn<Moves['jumpGap']>(),
      note: vi.fn<Moves['note']>(),
      toLine: vi.fn<Moves['toLine']>(),
      goTo: vi.fn<Moves['goTo']>(),
    },
  }
}

export interface Mounted {
  page: VueWrapper
  session: Session
  sent: Sent[]
  /** The button whose label or text begins so, anywhere on the page. */
  button: (label: string) => HTMLElement
  press: (label: string) => Promise<void>
  text: () => string
}

/** Mount under an open archive whose window is all of it, with the needle at its middle. */
export async function mounted(
  component: Component,
  { props = {}, answers = {}, ...opened }: Opened & { props?: object; answers?: Answers } = {},
): Promise<Mounted> {
  localStorage.clear()
  const pinia = createPinia()
  setActivePinia(pinia)
  const session = aSession(opened)
  const archive = session.archive.value ?? anArchive()
  const extent = { start: toMs(archive.start ?? ''), end: toMs(archive.end ?? '') }
  useWorkbench().open(extent, extent, (extent.start + extent.end) / 2)
  const sent = serve(answers)
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/', name: 'archives', component: BLANK },
      { path: '/investigations', name: 'investigations', component: BLANK },
      { path: '/investigations/:id', name: 'investigation', component: BLANK },
      { path: '/recorders', name: 'recorders', component: BLANK },
      { path: '/files', name: 'files', component: BLANK },
      { path: '/counters', name: 'counters', component: BLANK },
      { path: '/archives/:id', name: 'workbench', component: BLANK },
      { path: '/archives/:id/compare', name: 'compare', component: BLANK },
      { path: '/archives/:id/weeks', name: 'weeks', component: BLANK },
    ],
  })
  const page = mount(
    {
      setup: () => {
        provideNames(session.id)
        return () => h(component, props)
      },
    },
    {
      attachTo: document.body,
      global: {
        plugins: [pinia, router, [VueQueryPlugin, { queryClient: queries }]],
        provide: { [SESSION as symbol]: session },
      },
    },
  )
  onTestFinished(() => {
    page.unmount()
    queries.clear()
    vi.unstubAllGlobals()
  })
  await flushPromises()
  const button = (label: string): HTMLElement => {
    const all = [...document.querySelectorAll<HTMLElement>('button, [role=button], select, input')]
    const found = all.find((item) =>
      (item.getAttribute('aria-label') ?? item.textContent).trim().startsWith(label),
    )
    if (!found) throw new Error(`no button ${label} among ${all.map((item) => item.textContent).join(', ')}`)
    return found
  }
  return {
    page,
    session,
    sent,
    button,
    press: async (label) => {
      button(label).click()
      await flushPromises()
    },
    text: () => document.body.textContent.replace(/\s+/g, ' '),
  }
}
