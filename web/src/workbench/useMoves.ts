import { toMs } from '../model/instant'
import { watch, type Ref } from 'vue'
import type { Archive, Diagnosis, Finding, Marker, RuledOut, SeriesSet } from '../api/client'
import { stepTick } from '../model/lookup'
import { aroundStretch, panBy, zoomAround, type Span } from '../model/span'
import { useWorkbench } from '../useWorkbench'

export const TABS = { moment: 0, use: 1, findings: 2, ruledOut: 3, notes: 4 } as const

export interface Moves {
  step: (ticks: number) => void
  zoom: (factor: number) => void
  pan: (share: number) => void
  find: (id: string) => void
  findTime: (id: string, time: { start: string; end: string }) => void
  jump: (by: number) => void
  jumpGap: (by: number) => void
  note: (marker: Marker) => void
  /** To a line that is read beside the strips: the panel stays as it is. */
  toLine: (line: Marker) => void
  goTo: (at: number) => void
}

/** A finding, or one of the times that it was there. */
interface Place {
  finding: Finding
  time: { start: string; end: string } | null
}

/** How the analyst gets from one place in time to another. `gaps` is null until they are loaded. */
export function useMoves(
  archive: Ref<Archive | undefined>,
  set: Ref<SeriesSet | undefined>,
  diagnosis: Ref<Diagnosis | undefined>,
  gaps: Ref<Span[] | null>,
): Moves {
  const bench = useWorkbench()

  /** Bring the needle's place into the window, at the same length. */
  function reveal(by: number): void {
    const { window, extent, needle } = bench
    if (window && extent && needle !== null && (needle < window.start || needle > window.end))
      bench.slide(panBy(window, by > 0 ? 0.5 : -0.5, extent))
  }

  /** Step from tick to tick where single ticks are drawn, else by the archive's own interval. */
  function step(ticks: number): void {
    if (!bench.extent) return
    bench.play(false)
    const at = bench.needle ?? bench.window?.start ?? bench.extent.start
    const isRaw = set.value?.series.find((line) => !line.missing)?.bin_s === null
    const times = set.value?.times_ms[0] ?? []
    bench.point(isRaw ? stepTick(times, at, ticks) : at + ticks * (archive.value?.interval_s ?? 1) * 1000)
    reveal(ticks)
  }

  function zoom(factor: number): void {
    const { window, extent, needle } = bench
    if (!window || !extent) return
    const middle = (window.start + window.end) / 2
    const at = needle !== null && needle >= window.start && needle <= window.end ? needle : middle
    bench.look(zoomAround(window, at, factor, extent))
  }

  const pan = (share: number): void => {
    if (bench.window && bench.extent) bench.look(panBy(bench.window, share, bench.extent))
  }

  /** A tick tells of the interval that ends with it: at the onset itself stands the last healthy one. */
  function placeOf(found: Finding | RuledOut): number {
    const interval = (archive.value?.interval_s ?? 0) * 1000
    const begin = toMs('onset' in found ? found.onset.at : found.start)
    return Math.min(begin + interval, toMs(found.end))
  }

  function find(wanted: string): void {
    const finding = diagnosis.value?.findings.find((item) => item.id === wanted)
    const found = finding ?? diagnosis.value?.ruled_out.find((item) => item.id === wanted)
    if (!found || !bench.extent) return
    const first = finding?.pattern.kind === 'days' ? finding.occurrences[0] : undefined
    if (first) {
      findTime(wanted, first)
      return
    }
    bench.play(false)
    bench.look(aroundStretch({ start: toMs(found.start), end: toMs(found.end) }, bench.extent))
    bench.point(placeOf(found))
    bench.selected = wanted
    bench.tab = finding ? TABS.findings : TABS.ruledOut
  }

  /** One of the times of a finding that came more than once. */
  function findTime(wanted: string, time: { start: string; end: string }): void {
    if (!bench.extent) return
    const interval = (archive.value?.interval_s ?? 0) * 1000
    const stretch = { start: toMs(time.start), end: toMs(time.end) }
    bench.play(false)
    bench.look(aroundStretch(stretch, bench.extent))
    bench.point(Math.min(stretch.start + interval, stretch.end))
    bench.selected = wanted
    bench.tab = TABS.findings
  }

  /** The next or the previous finding; of what came on several days, the next time. */
  function jump(by: number): void {
    const places = (diagnosis.value?.findings ?? []).flatMap((finding): Place[] =>
      finding.pattern.kind === 'days'
        ? finding.occurrences.map((time) => ({ finding, time }))
        : [{ finding, time: null }],
    )
    const interval = (archive.value?.interval_s ?? 0) * 1000
    const at = ({ finding, time }: Place): number =>
      time ? Math.min(toMs(time.start) + interval, toMs(time.end)) : placeOf(finding)
    places.sort((a, b) => at(a) - at(b))
    const chosen = nextOf(places, at, bench.needle ?? 0, by)
    if (chosen?.time) findTime(chosen.finding.id, chosen.time)
    else if (chosen) find(chosen.finding.id)
  }

  // Requested before they are known, the jump is made as soon as they are, unless another archive is open by then.
  let waitingBy = 0
  watch(
    () => archive.value?.id,
    () => (waitingBy = 0),
  )
  watch(gaps, () => {
    const by = waitingBy
    waitingBy = 0
    if (by) jumpGap(by)
  })

  function jumpGap(by: number): void {
    if (!gaps.value) {
      waitingBy = by
      return
    }
    const chosen = nextOf(gaps.value, (gap) => gap.start, bench.needle ?? 0, by)
    if (!chosen || !bench.extent) return
    bench.play(false)
    bench.look(aroundStretch(chosen, bench.extent))
    bench.point(chosen.start)
  }

  function note(marker: Marker): void {
    bench.play(false)
    bench.point(toMs(marker.at))
    bench.tab = TABS.notes
  }

  /** The needle to a time, and the window around it, unless it shows that time already. */
  function goTo(at: number): void {
    const { window, extent } = bench
    if (!window || !extent) return
    bench.play(false)
    const length = window.end - window.start
    if (at < window.start || at > window.end)
      bench.look(
        length >= extent.end - extent.start ? window : { start: at - length / 2, end: at + length / 2 },
      )
    bench.point(at)
  }

  function toLine(line: Marker): void {
    const at = toMs(line.at)
    if (bench.extent && at >= bench.extent.start && at <= bench.extent.end) goTo(at)
  }

  return { step, zoom, pan, find, findTime, jump, jumpGap, note, toLine, goTo }
}

/** The next one in time, or the one before; after the last comes the first. */
export function nextOf<T>(inTime: T[], timeOf: (item: T) => number, at: number, by: number): T | undefined {
  const next =
    by > 0
      ? inTime.find((item) => timeOf(item) > at + 1)
      : [...inTime].reverse().find((item) => timeOf(item) < at - 1)
  return next ?? (by > 0 ? inTime[0] : inTime[inTime.length - 1])
}
