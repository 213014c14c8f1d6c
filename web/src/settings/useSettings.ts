import { defineStore } from 'pinia'
import { ref } from 'vue'

/** Whether the settings are open: they open from every page. */
export const useSettings = defineStore('settings', () => {
  const isOpen = ref(false)
  return {
    isOpen,
    open: (): void => {
      isOpen.value = true
    },
    close: (): void => {
      isOpen.value = false
    },
  }
})
