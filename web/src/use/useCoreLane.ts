import { createSharedComposable, useStorage } from '@vueuse/core'
import type { Ref } from 'vue'

/** Whether the picture of who ran on which core stands above the strips. */
export const useCoreLane: () => Ref<boolean> = createSharedComposable(() =>
  useStorage('reditus.coreLane', false),
)
