import { ref, type Ref } from 'vue'
import { clampHeight, type Strip } from '../model/strips'
import { useStrips } from '../useStrips'

interface StripDrag {
  /** In front of which strip the one that is dragged would land; null while none is. */
  target: Ref<number | null>
  lift: (strip: Strip, event: PointerEvent) => void
  stretch: (strip: Strip, event: PointerEvent) => void
  /** Alt with an arrow moves a strip, Shift with one makes it taller or lower. */
  pressed: (strip: Strip, event: KeyboardEvent) => void
}

const KEY_PX = 20
const DRAG_PX = 5

/** Reorder strips by their titles, and resize them by their lower edges. */
export function useStripDrag(holder: Ref<HTMLElement | null>): StripDrag {
  const board = useStrips()
  const target = ref<number | null>(null)

  const rows = (): DOMRect[] =>
    [...(holder.value?.querySelectorAll('[data-strip]') ?? [])].map((row) => row.getBoundingClientRect())

  function follow(event: PointerEvent, moved: (event: PointerEvent) => void, done: () => void): void {
    const element = event.currentTarget as HTMLElement
    element.setPointerCapture(event.pointerId)
    const stop = (): void => {
      element.removeEventListener('pointermove', moved)
      element.removeEventListener('pointerup', stop)
      element.removeEventListener('pointercancel', stop)
      done()
    }
    element.addEventListener('pointermove', moved)
    element.addEventListener('pointerup', stop)
    element.addEventListener('pointercancel', stop)
  }

  function lift(strip: Strip, event: PointerEvent): void {
    if (event.button !== 0) return
    const from = event.clientY
    follow(
      event,
      (moved) => {
        if (Math.abs(moved.clientY - from) < DRAG_PX && target.value === null) return
        const after = rows().findIndex((row) => moved.clientY < row.top + row.height / 2)
        target.value = after < 0 ? rows().length : after
      },
      () => {
        if (target.value !== null) board.move(strip.key, target.value)
        target.value = null
      },
    )
  }

  function stretch(strip: Strip, event: PointerEvent): void {
    if (event.button !== 0) return
    const from = event.clientY
    follow(
      event,
      (moved) => {
        board.change(strip.key, { height: clampHeight(strip.height + moved.clientY - from) })
      },
      () => undefined,
    )
  }

  function pressed(strip: Strip, event: KeyboardEvent): void {
    const by = { ArrowUp: -1, ArrowDown: 1 }[event.key]
    if (by === undefined || !(event.altKey || event.shiftKey)) return
    event.preventDefault()
    event.stopPropagation()
    if (event.altKey) board.moveBy(strip.key, by > 0 ? 1 : -1)
    else board.change(strip.key, { height: clampHeight(strip.height + by * KEY_PX) })
  }

  return { target, lift, stretch, pressed }
}
