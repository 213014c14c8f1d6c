import { computed, ref, type ComputedRef, type Ref } from 'vue'
import { between, clampTo, lengthOf, momentAt, NARROWEST_MS, within, type Span } from '../model/span'
import { useWorkbench } from '../useWorkbench'

const DRAG_PX = 4
const EDGE_PX = 6
const KEY_SHARE = 0.1

export type Grip = 'start' | 'end' | 'move' | 'new'

interface Frame {
  /** The stretch being drawn out, in time. */
  drawn: ComputedRef<Span | null>
  /** What a press here would take hold of. */
  gripAt: (event: PointerEvent) => Grip
  down: (event: PointerEvent) => void
  move: (event: PointerEvent) => void
  up: (event: PointerEvent) => void
  cancel: () => void
  nudge: (grip: Grip, by: number) => void
}

/** The window as a frame on the map: drag its edges, drag it, or draw another; a click brings it there. */
export function useFrame(surface: Ref<HTMLElement | null>): Frame {
  const bench = useWorkbench()
  const grip = ref<Grip | null>(null)
  const from = ref(0)
  const to = ref(0)
  let origin: Span | null = null
  let pressedAt = 0
  /** Drawn with Alt: what the window is held against, from there on and as long as the window. */
  let isReference = false

  const box = (): DOMRect | undefined => surface.value?.getBoundingClientRect()
  const momentOf = (event: PointerEvent): number => {
    const [area, extent] = [box(), bench.extent]
    if (!area || !extent || !area.width) return 0
    return clampTo(extent, momentAt(extent, (event.clientX - area.left) / area.width))
  }
  const pixels = (ms: number): number =>
    bench.extent ? (ms / Math.max(lengthOf(bench.extent), 1)) * (box()?.width ?? 0) : 0

  function gripAt(event: PointerEvent): Grip {
    const [at, window] = [momentOf(event), bench.window]
    if (!window) return 'new'
    if (Math.abs(pixels(at - window.start)) <= EDGE_PX) return 'start'
    if (Math.abs(pixels(at - window.end)) <= EDGE_PX) return 'end'
    const isWhole = bench.extent !== null && lengthOf(window) >= lengthOf(bench.extent) * 0.995
    return at > window.start && at < window.end && !isWhole ? 'move' : 'new'
  }

  function down(event: PointerEvent): void {
    if (event.button !== 0 || !bench.window) return
    surface.value?.setPointerCapture(event.pointerId)
    isReference = event.altKey
    grip.value = isReference ? 'new' : gripAt(event)
    origin = bench.window
    pressedAt = event.clientX
    from.value = to.value = momentOf(event)
  }

  function move(event: PointerEvent): void {
    if (!grip.value || !origin || !bench.extent) return
    to.value = momentOf(event)
    if (grip.value === 'new' || Math.abs(event.clientX - pressedAt) <= DRAG_PX) return
    bench.slide(dragged(grip.value, origin, to.value - from.value, bench.extent))
  }

  function up(event: PointerEvent): void {
    if (!grip.value || !origin || !bench.extent) return
    const isDrag = Math.abs(event.clientX - pressedAt) > DRAG_PX
    if (isReference) {
      const shift = Math.round((Math.min(from.value, to.value) - origin.start) / 1000) * 1000
      bench.against = shift ? { archive: null, shift } : null
    } else if (!isDrag) {
      const half = lengthOf(origin) / 2
      if (grip.value === 'new')
        bench.look(within({ start: from.value - half, end: from.value + half }, bench.extent))
      bench.point(from.value)
    } else if (grip.value === 'new') bench.look(between(from.value, to.value, bench.extent))
    else bench.settle(origin)
    cancel()
  }

  function cancel(): void {
    grip.value = null
    origin = null
  }

  function nudge(which: Grip, by: number): void {
    const [window, extent] = [bench.window, bench.extent]
    if (window && extent) bench.look(dragged(which, window, by * KEY_SHARE * lengthOf(window), extent))
  }

  const drawn = computed(() =>
    grip.value === 'new' && Math.abs(pixels(to.value - from.value)) > DRAG_PX
      ? { start: Math.min(from.value, to.value), end: Math.max(from.value, to.value) }
      : null,
  )
  return { drawn, gripAt, down, move, up, cancel, nudge }
}

/** A window whose start, end or whole was moved by some milliseconds. */
export function dragged(grip: Grip, window: Span, by: number, extent: Span): Span {
  if (grip === 'start')
    return {
      start: Math.min(Math.max(window.start + by, extent.start), window.end - NARROWEST_MS),
      end: window.end,
    }
  if (grip === 'end')
    return {
      start: window.start,
      end: Math.max(Math.min(window.end + by, extent.end), window.start + NARROWEST_MS),
    }
  return within({ start: window.start + by, end: window.end + by }, extent)
}
