import { computed, ref, type ComputedRef, type Ref } from 'vue'
import { between, momentAt, panBy, zoomAround, type Span } from '../model/span'
import { useWorkbench } from '../useWorkbench'

const DRAG_PX = 4

interface StripPointer {
  /** The stretch being drawn out, as shares of the width. */
  drawn: ComputedRef<{ from: number; to: number } | null>
  down: (event: PointerEvent) => void
  move: (event: PointerEvent) => void
  up: (event: PointerEvent) => void
  cancel: () => void
  wheel: (event: WheelEvent) => void
}

/** Mouse and pen over the strips: click puts the needle, drag zooms, Shift and drag moves along, Ctrl and wheel zooms. */
export function useStripPointer(surface: Ref<HTMLElement | null>): StripPointer {
  const bench = useWorkbench()
  const from = ref<number | null>(null)
  const to = ref(0)
  let origin: Span | null = null
  let moves = false

  const shareOf = (event: MouseEvent): number => {
    const box = surface.value?.getBoundingClientRect()
    return box && box.width > 0 ? Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1) : 0
  }
  const isDrag = (): boolean =>
    from.value !== null && Math.abs(to.value - from.value) * (surface.value?.clientWidth ?? 0) > DRAG_PX

  function down(event: PointerEvent): void {
    if (event.button !== 0 || !bench.window) return
    surface.value?.setPointerCapture(event.pointerId)
    from.value = to.value = shareOf(event)
    moves = event.shiftKey
    origin = bench.window
  }

  function move(event: PointerEvent): void {
    if (from.value === null || !origin || !bench.extent) return
    to.value = shareOf(event)
    if (moves) bench.slide(panBy(origin, from.value - to.value, bench.extent))
  }

  function up(event: PointerEvent): void {
    if (from.value === null || !origin || !bench.extent) return
    to.value = shareOf(event)
    if (!moves && isDrag())
      bench.look(between(momentAt(origin, from.value), momentAt(origin, to.value), bench.extent))
    else if (!moves) bench.point(momentAt(origin, to.value))
    cancel()
  }

  function cancel(): void {
    from.value = null
    origin = null
  }

  function wheel(event: WheelEvent): void {
    if (!bench.window || !bench.extent) return
    if (event.ctrlKey) {
      event.preventDefault()
      const at = momentAt(bench.window, shareOf(event))
      bench.slide(zoomAround(bench.window, at, event.deltaY > 0 ? 1.25 : 0.8, bench.extent))
    } else if (Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      event.preventDefault()
      bench.slide(panBy(bench.window, event.deltaX / 1000, bench.extent))
    }
  }

  const drawn = computed(() =>
    from.value === null || moves || !isDrag()
      ? null
      : { from: Math.min(from.value, to.value), to: Math.max(from.value, to.value) },
  )
  return { drawn, down, move, up, cancel, wheel }
}
