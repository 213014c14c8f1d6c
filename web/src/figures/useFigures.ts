import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import type { Strip } from '../model/strips'

/** Which strips are shown as figures; null: none. */
export const useFigures = defineStore('figures', () => {
  const shown = shallowRef<{ strips: Strip[]; title: string } | null>(null)
  return {
    shown,
    open: (strips: Strip[], title: string): void => {
      shown.value = { strips, title }
    },
    close: (): void => {
      shown.value = null
    },
  }
})
