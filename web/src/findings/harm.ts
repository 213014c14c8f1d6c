import type { Finding } from '../api/client'
import { spellDuration } from '../model/clock'

/** What a finding cost, in its own measure: "12 min of stall time", "1 h 30 min with one core full". Null where unknown. */
export function harmOf({ harm, time_lost_estimated: estimated }: Finding): string | null {
  if (harm.seconds <= 0) return null
  const about = estimated && harm.of === 'of stall time' ? 'about ' : ''
  return `${about}${spellDuration(harm.seconds)} ${harm.of}`
}
