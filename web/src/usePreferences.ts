import { usePreferredDark, useStorage } from '@vueuse/core'
import { computed, watchEffect, type ComputedRef, type Ref } from 'vue'
import type { Zone } from './model/clock'

export type Theme = 'day' | 'night'

interface Preferences {
  zone: Ref<Zone>
  theme: ComputedRef<Theme>
  toggleZone: () => void
  toggleTheme: () => void
}

const zone = useStorage<Zone>('reditus.zone', 'local')
const chosenTheme = useStorage<Theme | 'system'>('reditus.theme', 'system')

/** The clock that times are read by. */
export const useZone = (): Ref<Zone> => zone

/** Clock and light: chosen once, kept in this browser. */
export function usePreferences(): Preferences {
  const dark = usePreferredDark()
  const theme = computed<Theme>(() =>
    chosenTheme.value === 'system' ? (dark.value ? 'night' : 'day') : chosenTheme.value,
  )
  watchEffect(() => {
    document.documentElement.dataset['theme'] = theme.value
  })
  return {
    zone,
    theme,
    toggleZone: () => {
      zone.value = zone.value === 'local' ? 'UTC' : 'local'
    },
    toggleTheme: () => {
      chosenTheme.value = theme.value === 'day' ? 'night' : 'day'
    },
  }
}
