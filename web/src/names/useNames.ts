import { inject, provide, type InjectionKey, type Ref } from 'vue'
import type { DeviceKind } from '../api/mutations'
import { useDeviceNames, useFacts } from '../api/queries'

export type { DeviceKind }

export interface Naming {
  /** What people call a device, if anything. */
  calledOf: (kind: DeviceKind, device: string) => string | null
  /** As it is shown: what people call it, else what the machine does. */
  labelOf: (kind: DeviceKind, device: string) => string
  /** The archive whose host they are of. */
  archive: Ref<string>
}

const NAMING: InjectionKey<Naming> = Symbol('device names')

/** Device names of an archive's host, for every component below. */
export function provideNames(id: Ref<string>): Naming {
  const { data } = useDeviceNames(id)
  const calledOf = (kind: DeviceKind, device: string): string | null => data.value?.[kind]?.[device] ?? null
  const { data: history } = useFacts(id)
  /** What a sensor's maker wrote on it says more than the number of its driver. */
  const toldOf = (kind: DeviceKind, device: string): string | null =>
    kind === 'sensor' ? (history.value?.at(-1)?.facts.sensors?.[device]?.label ?? null) : null
  const naming: Naming = {
    calledOf,
    labelOf: (kind, device) => calledOf(kind, device) ?? toldOf(kind, device) ?? device,
    archive: id,
  }
  provide(NAMING, naming)
  return naming
}

export function useNames(): Naming {
  const naming = inject(NAMING)
  if (!naming) throw new Error('device names are provided by the workbench')
  return naming
}

/** The kind of device that a measure has, by its name. */
export function kindOf(measure: string): DeviceKind {
  if (measure.startsWith('disk.') || measure.startsWith('swap.')) return 'disk'
  if (measure.startsWith('filesystem.')) return 'filesystem'
  if (measure.startsWith('heat.')) return 'sensor'
  if (measure.startsWith('other.')) return 'other'
  return measure.startsWith('net.') ? 'interface' : 'core'
}
