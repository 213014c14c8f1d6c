import { useEventListener, usePreferredDark, useStorage } from '@vueuse/core'
import { computed, ref, watchEffect, type ComputedRef, type Ref } from 'vue'
import { amountChoices, type LinkUnit, type Prefixes, type ProcessorUnit } from './model/amounts'
import { isKnownZone, type Zone } from './model/clock'

export type Theme = 'day' | 'night'
export type Light = Theme | 'system'
export type Clock = 'local' | 'UTC' | 'host'

/** Everything that is chosen once and for all, and kept in this browser. */
interface Preferences {
  clock: Ref<Clock>
  zone: ComputedRef<Zone>
  light: Ref<Light>
  theme: ComputedRef<Theme>
  links: Ref<LinkUnit>
  prefixes: Ref<Prefixes>
  processor: Ref<ProcessorUnit>
  toggleZone: () => void
  toggleTheme: () => void
  /** Everything as it was at first. */
  reset: () => void
}

/** A choice that is kept. What stands there and is none of them counts as never chosen. */
function kept<T extends string>(name: string, every: readonly T[], usual: T): Ref<T> {
  return useStorage<T>(name, usual, undefined, {
    serializer: {
      read: (text) => every.find((choice) => choice === text) ?? usual,
      write: (choice) => choice,
    },
  })
}

export const CLOCKS = ['local', 'UTC', 'host'] as const
export const LIGHTS = ['system', 'day', 'night'] as const
export const LINK_UNITS = ['bits', 'bytes'] as const
export const PREFIXES = ['usual', 'SI', 'IEC'] as const
export const PROCESSOR_UNITS = ['cores', 'share'] as const

const clock = kept<Clock>('reditus.zone', CLOCKS, 'local')
const light = kept<Light>('reditus.theme', LIGHTS, 'system')
const links = kept<LinkUnit>('reditus.links', LINK_UNITS, 'bits')
const prefixes = kept<Prefixes>('reditus.prefixes', PREFIXES, 'usual')
const processor = kept<ProcessorUnit>('reditus.processor', PROCESSOR_UNITS, 'cores')
watchEffect(() => {
  Object.assign(amountChoices, {
    links: links.value,
    prefixes: prefixes.value,
    processor: processor.value,
  })
})

/** The clock of the host that is open: a place of the time zone database, where it was recorded. */
const hostZone = ref<string | null>(null)
export function showHostZone(name: unknown): void {
  hostZone.value = typeof name === 'string' && isKnownZone(name) ? name : null
}
export const useHostZone = (): Readonly<Ref<string | null>> => hostZone

const zone = computed<Zone>(() => (clock.value === 'host' ? (hostZone.value ?? 'local') : clock.value))

/** The clock that times are read by. */
export const useZone = (): ComputedRef<Zone> => zone

const printing = ref(false)
if (typeof window !== 'undefined') {
  useEventListener(window, 'beforeprint', () => {
    printing.value = true
  })
  useEventListener(window, 'afterprint', () => {
    printing.value = false
  })
}

/** Clock, light and units: chosen once, kept in this browser. */
export function usePreferences(): Preferences {
  const dark = usePreferredDark()
  const theme = computed<Theme>(() => {
    // Paper is light.
    if (printing.value) return 'day'
    return light.value === 'system' ? (dark.value ? 'night' : 'day') : light.value
  })
  watchEffect(() => {
    document.documentElement.dataset['theme'] = theme.value
  })
  return {
    clock,
    zone,
    light,
    theme,
    links,
    prefixes,
    processor,
    toggleZone: () => {
      const next = CLOCKS.filter((each) => each !== 'host' || hostZone.value !== null)
      clock.value = next[(next.indexOf(clock.value) + 1) % next.length] ?? 'local'
    },
    toggleTheme: () => {
      light.value = theme.value === 'day' ? 'night' : 'day'
    },
    reset: () => {
      clock.value = 'local'
      light.value = 'system'
      links.value = 'bits'
      prefixes.value = 'usual'
      processor.value = 'cores'
    },
  }
}
