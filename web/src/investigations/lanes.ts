import type { CaseEvent } from '../api/client'
import { toMs } from '../model/instant'

const MOST_LANES = 12

/** Events in as few rows as it takes for none to cover another; what does not fit any more shares the last one. */
export function lanesOf(events: readonly CaseEvent[]): CaseEvent[][] {
  const lanes: CaseEvent[][] = []
  for (const event of [...events].sort((a, b) => toMs(a.start) - toMs(b.start))) {
    const free = lanes.find((lane) => toMs(lane.at(-1)?.end ?? '') <= toMs(event.start))
    if (free) free.push(event)
    else if (lanes.length < MOST_LANES) lanes.push([event])
    else lanes.at(-1)?.push(event)
  }
  return lanes
}
