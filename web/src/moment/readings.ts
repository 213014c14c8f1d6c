import type { Moment } from '../api/client'

/** What the moment shows of the machine. Whatever stands in neither list is not requested: most of all measures. */
export const SHOWN_OF_MACHINE = [
  'cpu.busy',
  'cpu.waiting',
  'cpu.load.1m',
  'cpu.runnable',
  'cpu.blocked',
  'stall.cpu.some',
  'stall.io.some',
  'memory.total',
  'memory.available',
  'memory.programs',
  'memory.shared',
  'memory.huge',
  'memory.kernel',
  'memory.other',
  'memory.cache',
  'memory.free',
  'swap.held',
  'swap.total',
  'swap.in',
  'swap.out',
] as const
/** And of each device. */
export const SHOWN_OF_DEVICES = [
  'cpu.busy',
  'cpu.iowait',
  'disk.read.rate',
  'disk.write.rate',
  'disk.queue',
  'disk.wait',
  'disk.busy',
  'net.receive.rate',
  'net.send.rate',
  'filesystem.use',
  'filesystem.free',
  'heat.temperature',
] as const
export type OfMachine = (typeof SHOWN_OF_MACHINE)[number]
export type OfDevices = (typeof SHOWN_OF_DEVICES)[number]
/** Both, as a moment is requested. */
export const SHOWN: readonly string[] = [...SHOWN_OF_MACHINE, ...SHOWN_OF_DEVICES.map((name) => `${name}@*`)]

/** Look a moment's readings up by measure and device. */
export class Readings {
  private readonly known = new Map<string, number | null>()
  private readonly byMeasure = new Map<string, string[]>()

  constructor(moment: Moment | undefined) {
    for (const { measure, device, value } of moment?.readings ?? []) {
      this.known.set(`${measure}@${device ?? ''}`, value)
      if (device === null) continue
      const devices = this.byMeasure.get(measure)
      if (devices) devices.push(device)
      else this.byMeasure.set(measure, [device])
    }
  }

  of(measure: OfMachine): number | null
  of(measure: OfDevices, device: string): number | null
  of(measure: string, device = ''): number | null {
    return this.known.get(`${measure}@${device}`) ?? null
  }

  /** Any measure of the machine, of a moment with all of them. */
  any(measure: string): number | null {
    return this.known.get(`${measure}@`) ?? null
  }

  devices(measure: OfDevices): string[] {
    return this.byMeasure.get(measure) ?? []
  }
}

export interface MemoryPart {
  name: OfMachine
  label: string
  bytes: number
  /** How strongly it is drawn, 0 to 1: what can be given back is lighter. */
  weight: number
}

const PARTS: [OfMachine, string, number][] = [
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
