import type { Placement } from '../api/client'
import { toMs } from '../model/instant'
import { shareAt, type Span } from '../model/span'

type Core = Placement['cores'][number]

/** A task on a core for a while, as it is drawn: where, how dark, and what is written on it. */
export interface DrawnRun {
  task: number
  from: number
  to: number
  share: number
  label: string
}

export const ROW_PX = { least: 5, most: 14 }
const MOST_PX = 260

/** The height of a core's row: as many cores as there are fit, within reason. */
export const rowHeight = (cores: number): number =>
  Math.round(Math.min(Math.max(MOST_PX / Math.max(cores, 1), ROW_PX.least), ROW_PX.most))

export function nameOfTask(placement: Placement, task: number): string {
  const found = placement.tasks[task]
  return found ? `${found.name ?? 'unknown'} ${found.number}` : ''
}

/** A core's runs within a window; places are 0 to 1. */
export function drawnRuns(placement: Placement, core: Core, window: Span): DrawnRun[] {
  return core.runs.flatMap((run) => {
    const from = Math.max(shareAt(window, toMs(run.start)), 0)
    const to = Math.min(shareAt(window, toMs(run.end)), 1)
    if (to <= from) return []
    return [{ task: run.task, from, to, share: run.share, label: nameOfTask(placement, run.task) }]
  })
}

export const runAt = (runs: DrawnRun[], at: number): DrawnRun | null =>
  runs.find((run) => at >= run.from && at < run.to) ?? null
