import { useEventListener } from '@vueuse/core'
import { actionOf, type KeyAction } from './keys'

/** Act on the workbench's keys while the calling component is there. */
export function useKeys(actions: Partial<Record<KeyAction, () => void>>): void {
  useEventListener(window, 'keydown', (event) => {
    const action = actionOf(event)
    const act = action && actions[action]
    if (!act) return
    event.preventDefault()
    act()
  })
}
