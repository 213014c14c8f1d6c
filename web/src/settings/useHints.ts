import { useStorage } from '@vueuse/core'
import { computed, type ComputedRef } from 'vue'

/** What to know on a first visit, place by place. Once put away it does not come back by itself. */
export const HINTS = {
  archives:
    'Each host with its last day: dark is strained. Open one where it is darkest, or press what was found there.',
  workbench:
    'The map above is the whole archive, the strips are the window. Drag across either to look closer, click to read a moment; / finds anything, ? shows the keys.',
  use: 'Who used it, over the window above. Press a head to sort by it, a row to see when it ran and on its own.',
  figures: 'Every column can be moved, hidden and sorted by; what is copied is what is shown, in this order.',
} as const
export type HintPlace = keyof typeof HINTS
const PLACES = Object.keys(HINTS) as HintPlace[]

/** Those that were put away; what is kept and names no place is passed over. */
const seen = useStorage<HintPlace[]>('reditus.hints', [], undefined, {
  serializer: {
    read: (text) => PLACES.filter((place) => text.split(' ').includes(place)),
    write: (places) => places.join(' '),
  },
})

export function useHints(): {
  isShown: (place: HintPlace) => boolean
  putAway: (place: HintPlace) => void
  anyPutAway: ComputedRef<boolean>
  showAgain: () => void
} {
  return {
    isShown: (place) => !seen.value.includes(place),
    putAway: (place) => {
      seen.value = [...seen.value, place]
    },
    anyPutAway: computed(() => seen.value.length > 0),
    showAgain: () => {
      seen.value = []
    },
  }
}
