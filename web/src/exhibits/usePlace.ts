import { useRoute } from 'vue-router'
import { placeQuery } from '../model/link'
import { useZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { zoneName, type Place } from './pins'

/** The place that is looked at in the workbench, for what is pinned there; null while no window is open. */
export function usePlace(): (more?: Record<string, string>) => Place | null {
  const bench = useWorkbench()
  const zone = useZone()
  const { id } = useSession()
  const route = useRoute()
  return (more = {}) => {
    const { window, needle } = bench
    if (!window) return null
    const kept = Object.entries(route.query).filter(
      (entry): entry is [string, string] => typeof entry[1] === 'string' && entry[0] !== 'token',
    )
    const query = new URLSearchParams({ ...Object.fromEntries(kept), ...placeQuery(window, needle), ...more })
    return {
      archive: id.value,
      window,
      zone: zoneName(zone.value),
      view: `/archives/${id.value}?${query.toString()}`.slice(0, LONGEST),
    }
  }
}
const LONGEST = 4_000
