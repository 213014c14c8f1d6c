/** Made-up answers of the API, for component tests. */
import type {
  Archive,
  Evidence,
  Finding,
  Marker,
  Measure,
  PlanEntry,
  Process,
  Recorder,
  RuledOut,
  Series,
  SeriesSet,
} from '../api/client'
import { toInstant } from '../model/instant'
import type { KnownMeasure } from '../model/layouts'

export const START = Date.parse('2026-11-12T09:00:00Z')
export const MINUTE = 60_000
/** So many minutes after the sample's start, as the API writes it. */
export const at = (minutes: number): string => toInstant(START + minutes * MINUTE)

export const anArchive = (more: Partial<Archive> = {}): Archive => ({
  id: '11111111-1111-4111-8111-111111111111',
  host: { id: '22222222-2222-4222-8222-222222222222', name: 'stitch-01' },
  name: 'morning',
  source: 'simulated',
  facts: { cores: 8, memory_bytes: 2 ** 35, links: { eth0: { speed_bits_per_s: 1e9, physical: true } } },
  start: at(0),
  end: at(60),
  interval_s: 1,
  ticks: 3_600,
  columns: 812,
  size_bytes: 400_000,
  coverage: 0.998,
  notes: '',
  protected: false,
  deleted: null,
  damaged_blocks: 0,
  trouble: null,
  ...more,
})

export const anEvidence = (more: Partial<Evidence> = {}): Evidence => ({
  measure: 'disk.wait',
  device: 'sdb',
  value: 0.08,
  threshold: 0.02,
  unit: 's',
  reads: 'mean, threshold ≥',
  ...more,
})

export const aFinding = (more: Partial<Finding> = {}): Finding => ({
  id: 'disk.saturated/sdb/1',
  kind: 'disk.saturated',
  title: 'Disk saturated',
  resource: 'disk',
  device: 'sdb',
  start: at(10),
  end: at(30),
  onset: { at: at(10), uncertainty_s: 2 },
  severity: 0.8,
  time_lost_s: 600,
  time_lost_estimated: false,
  harm: { seconds: 600, of: 'of stall time' },
  confidence: 0.9,
  evidence: [anEvidence()],
  explanation: 'sdb got more requests than it can serve.',
  considered: ['The processor was idle.'],
  next: ['See who writes.'],
  caused_by: [],
  symptoms: [],
  processes: [{ pid: 812, name: 'imaging', share: 0.7 }],
  recorded_share: 0.9,
  shares_of: 'bytes written',
  occurrences: [],
  pattern: { kind: 'once', period_s: null },
  verdict: null,
  ...more,
})

export const aRuledOut = (more: Partial<RuledOut> = {}): RuledOut => ({
  id: 'memory.full/1',
  kind: 'memory.free_low',
  title: 'Memory nearly full',
  resource: 'memory',
  device: null,
  start: at(5),
  end: at(20),
  evidence: [anEvidence({ measure: 'memory.available', device: null, value: 2 ** 31, unit: 'bytes' })],
  explanation: 'Most of it was page cache.',
  ...more,
})

export const aMarker = (more: Partial<Marker> = {}): Marker => ({
  ident: 'kernel/1',
  at: at(12),
  end: null,
  kind: 'log',
  log: 'kernel',
  text: 'sdb: reset',
  source: 'kernel',
  severity: 'error',
  ...more,
})

export const aMeasure = (more: Partial<Measure> = {}): Measure => ({
  name: 'disk.wait',
  title: 'Wait per request',
  unit: 's',
  resource: 'disk',
  help: 'How long a request took.',
  formula: 'time / requests',
  per_event: false,
  per: 'disk',
  total: null,
  ...more,
})

export const aSeries = (measure: string, mean: (number | null)[], more: Partial<Series> = {}): Series => {
  const known = mean.filter((value): value is number => value !== null)
  const whole = known.reduce((sum, value) => sum + value, 0)
  return {
    measure,
    device: null,
    unit: 'cores',
    times: 0,
    bin_s: null,
    mean,
    low: null,
    high: null,
    summary: known.length
      ? {
          low: Math.min(...known),
          mean: whole / known.length,
          p95: Math.max(...known),
          high: Math.max(...known),
          total: null,
          coverage: known.length / mean.length,
          bin_s: null,
        }
      : null,
    missing: null,
    ...more,
  }
}

/** Series over the sample's first minutes, one value a minute. */
export const aSeriesSet = (...series: Series[]): SeriesSet => ({
  start: at(0),
  end: at(Math.max(...series.map((item) => item.mean.length), 1)),
  times_ms: [(series[0]?.mean ?? []).map((_, minute) => START + minute * MINUTE)],
  series,
})

export const aProcess = (pid: number, name: string, more: Partial<Process['usage']> = {}): Process => ({
  pid,
  start: pid * 10,
  name,
  user: 'lab',
  group: 'lab.slice',
  parent: 1,
  arguments: null,
  state: 'R',
  core: pid % 8,
  usage: {
    cpu_cores: 0,
    system_cores: 0,
    memory_bytes: 0,
    read_bytes_per_s: 0,
    write_bytes_per_s: 0,
    major_faults_per_s: 0,
    minor_faults_per_s: 0,
    blocked_tasks: 0,
    threads: 1,
    waiting_tasks: 0,
    ...more,
  },
})

export const aRecorder = (more: Partial<Recorder> = {}): Recorder => ({
  id: '11111111-1111-4111-8111-111111111111',
  host: { id: '22222222-2222-4222-8222-222222222222', name: 'stitch-01' },
  name: 'morning',
  plan: null,
  recording: true,
  burst_until: null,
  state: 'recording',
  reported: at(60),
  report: {
    version: '0.1.0',
    pid: 7,
    state: 'recording',
    started: at(0),
    interval_s: 1,
    last_tick: at(60),
    ticks: 3_600,
    missed: 3,
    missed_why: { 'the recorder came late': 3 },
    late_s: 0.0004,
    cost_share: 0.0037,
    memory_bytes: 40 * 2 ** 20,
    spool_bytes: 2 ** 20,
    spool_limit_bytes: 2 ** 28,
    spool_trouble: null,
    dropped: [],
    unreadable: {},
    aside: [],
  },
  ...more,
})

export const aPlan = (more: Partial<PlanEntry> = {}): PlanEntry => ({
  name: 'lean',
  plan: { name: 'lean', every: '5s', groups: { process: { record: false } } },
  changed: at(0),
  recorders: [],
  trouble: null,
  ...more,
})

export const aKnownMeasure = (name: string, title: string): KnownMeasure => ({
  name,
  title,
  unit: 's',
  resource: 'disk',
  per: 'disk',
})
