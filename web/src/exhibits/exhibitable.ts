import { useEventListener } from '@vueuse/core'
import type { Directive } from 'vue'
import type { Pin } from '../api/client'
import { useKeys } from '../replay/useKeys'
import { usePinning } from './usePinning'

type Maker = () => Pin | null
const makers = new WeakMap<Element, Maker>()

/** Marks what can be pinned: `v-exhibit="() => pin"`. */
export const vExhibit: Directive<HTMLElement, Maker> = {
  mounted(element, { value }) {
    makers.set(element, value)
    element.dataset['exhibit'] = ''
  },
  updated(element, { value }) {
    makers.set(element, value)
  },
}

/** What can be pinned at an element: what is marked around it. */
export function pinAt(element: Element | null): Pin | null {
  for (
    let at = element?.closest('[data-exhibit]') ?? null;
    at;
    at = at.parentElement?.closest('[data-exhibit]') ?? null
  ) {
    const pin = makers.get(at)?.()
    if (pin) return pin
  }
  return null
}

/** One key pins what has the focus, or else what the pointer is over. */
export function useExhibitKey(): void {
  const pinning = usePinning()
  let pointer: { x: number; y: number } | null = null
  useEventListener(window, 'pointermove', ({ clientX: x, clientY: y }) => {
    pointer = { x, y }
  })
  /** Where the pointer is, also what lies below that which takes its presses: strips have one surface over all of them. */
  const pointed = (): Pin | null => {
    for (const element of pointer ? document.elementsFromPoint(pointer.x, pointer.y) : []) {
      const pin = pinAt(element)
      if (pin) return pin
    }
    return null
  }
  useKeys({
    exhibit: () => {
      const focused = document.activeElement === document.body ? null : document.activeElement
      const pin = pointed() ?? pinAt(focused)
      if (pin) pinning.pin(pin)
      else pinning.say('Point at a strip, a finding, the moment, a table or a note, and press X to pin it.')
    },
  })
}
