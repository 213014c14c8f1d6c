import { computed, type ComputedRef } from 'vue'
import { useSession } from '../workbench/session'

/** What physics sets on a host, as far as it is known. */
export interface HostLimits {
  cores: number | null
  memoryBytes: number | null
  /** Bits per second of each interface. */
  speeds: Record<string, number>
  /** °C that each sensor should not exceed. */
  heat: Record<string, number>
}

export function useHostLimits(): ComputedRef<HostLimits> {
  const { archive } = useSession()
  return computed(() => {
    const { cores, memory_bytes: memoryBytes, links, sensors } = archive.value?.facts ?? {}
    return {
      cores: cores ?? null,
      memoryBytes: memoryBytes ?? null,
      heat: Object.fromEntries(
        Object.entries(sensors ?? {}).flatMap(([name, { high, critical }]) => {
          const limit = high ?? critical
          return typeof limit === 'number' ? [[name, limit] as const] : []
        }),
      ),
      speeds: Object.fromEntries(
        Object.entries(links ?? {}).flatMap(([name, { speed_bits_per_s: speed }]) =>
          speed && name !== 'lo' ? [[name, speed] as const] : [],
        ),
      ),
    }
  })
}
