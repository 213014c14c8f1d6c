import type { Moment } from '../api/client'

/** Look a moment's readings up by measure and device. */
export class Readings {
  private readonly known = new Map<string, number | null>()
  private readonly byMeasure = new Map<string, string[]>()

  constructor(moment: Moment | undefined) {
    for (const { measure, device, value } of moment?.readings ?? []) {
      this.known.set(`${measure}@${device ?? ''}`, value)
      if (device !== null) this.byMeasure.set(measure, [...(this.byMeasure.get(measure) ?? []), device])
    }
  }

  of(measure: string, device?: string): number | null {
    return this.known.get(`${measure}@${device ?? ''}`) ?? null
  }

  devices(measure: string): string[] {
    return this.byMeasure.get(measure) ?? []
  }
}

export interface MemoryPart {
  name: string
  label: string
  bytes: number
  /** How strongly it is drawn, 0 to 1: what can be given back is lighter. */
  weight: number
}

const PARTS: [string, string, number][] = [
  ['memory.programs', 'programs', 1],
  ['memory.shared', 'shared', 0.75],
  ['memory.huge', 'huge pages', 0.65],
  ['memory.kernel', 'kernel', 0.5],
  ['memory.other', 'other', 0.4],
  ['memory.cache', 'cache', 0.22],
  ['memory.free', 'free', 0.04],
]

/** Where memory is, in parts that add up to the total; empty where it is unknown. */
export function memoryParts(readings: Readings): MemoryPart[] {
  return PARTS.map(([name, label, weight]) => ({
    name,
    label,
    weight,
    bytes: readings.of(name) ?? 0,
  })).filter((part) => part.bytes > 0)
}

/** Devices that did something come first, the heaviest of them on top; idle ones are only counted. */
export function heaviest(
  devices: string[],
  weight: (device: string) => number,
): { active: string[]; idle: number } {
  const active = devices.filter((device) => weight(device) > 0).sort((a, b) => weight(b) - weight(a))
  return { active, idle: devices.length - active.length }
}
