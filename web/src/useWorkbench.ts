import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import type { Against } from './comparison/against'
import { PACES, type Pace } from './model/playback'
import type { WidthS } from './model/averaging'
import { clampTo, within, type Span } from './model/span'
import { useHistory } from './useHistory'

const MOST_STEPS = 50

/** What the analyst chose: where to look, and how to move. Nothing that came from the server is copied here. */
export const useWorkbench = defineStore('workbench', () => {
  const history = useHistory()
  const extent = shallowRef<Span | null>(null)
  const window = shallowRef<Span | null>(null)
  const needle = ref<number | null>(null)
  const pace = ref<Pace>(60)
  const playing = ref(false)
  const following = ref(false)
  const selected = ref<string | null>(null)
  const tab = ref(0)
  /** Play the window over and over, instead of going on after its end. */
  const looping = ref(false)
  /** A moment that others are compared with. */
  const pinned = ref<number | null>(null)
  /** What is drawn behind the strips. */
  const against = shallowRef<Against | null>(null)
  /** Whether what is usual for the hour stands behind the strips. */
  const usual = ref(false)
  /** A time that was marked, for the figures since then. */
  const mark = ref<number | null>(null)
  /** Which processes the moment lists. */
  const processFilter = ref('')

  /** A window that a link named, though the archive has nothing of it. */
  const outside = shallowRef<Span | null>(null)
  /** What of the link made no sense, in words. */
  const linkProblem = ref<string | null>(null)
  /** The finding that is open, as a link names it. */
  const finding = ref<string | null>(null)
  /** How many times a window was gone to. */
  const steps = ref(0)
  /** Length of the bins of which strips show the means, in seconds; null: as long as a pixel. */
  const averaging = ref<WidthS | null>(null)
  /** Windows looked at before, so that a zoom can be taken back. */
  const past = shallowRef<Span[]>([])
  /** Those gone back from, so that going back can be taken back too. */
  const future = shallowRef<Span[]>([])

  function open(nextExtent: Span, nextWindow: Span, nextNeedle: number | null): void {
    extent.value = nextExtent
    const isOutside = nextWindow.end <= nextExtent.start || nextWindow.start >= nextExtent.end
    outside.value = isOutside ? nextWindow : null
    linkProblem.value = null
    finding.value = null
    steps.value = 0
    window.value = within(nextWindow, nextExtent)
    needle.value = nextNeedle
    past.value = []
    future.value = []
    playing.value = false
    selected.value = null
    tab.value = 0
    mark.value = null
    pinned.value = null
    processFilter.value = ''
    averaging.value = null
    against.value = null
    usual.value = false
  }

  function close(): void {
    extent.value = null
    window.value = null
    needle.value = null
    following.value = false
    playing.value = false
  }

  function grow(nextExtent: Span): void {
    const current = window.value
    extent.value = nextExtent
    if (!following.value || !current) return
    const length = current.end - current.start
    window.value = { start: Math.max(nextExtent.end - length, nextExtent.start), end: nextExtent.end }
    needle.value = nextExtent.end
  }

  function look(next: Span): void {
    if (!extent.value) return
    const before = window.value
    outside.value = null
    window.value = within(next, extent.value)
    if (before) settle(before)
  }

  /** After a move that came in many small ones: the window before it is one to go back to. */
  function settle(before: Span): void {
    following.value = false
    if (before.start === window.value?.start && before.end === window.value.end) return
    past.value = [...past.value.slice(1 - MOST_STEPS), before]
    future.value = []
    steps.value += 1
    remember(before)
  }

  /** A move that can be taken back with every other change. */
  function remember(before: Span): void {
    const after = window.value
    if (!after) return
    const go = (to: Span) => () => {
      revisit(to, needle.value)
    }
    history.push({ label: 'another window', undo: go(before), redo: go(after) })
  }

  /** A place of before, by the browser's Back: without a step of its own. */
  function revisit(to: Span, at: number | null): void {
    if (!extent.value) return
    window.value = within(to, extent.value)
    needle.value = at === null ? null : clampTo(extent.value, at)
    following.value = false
    playing.value = false
  }

  /** Like `look`, without a step to go back to: for moves that come many times a second. */
  function slide(next: Span): void {
    if (extent.value) window.value = within(next, extent.value)
  }

  function lookBack(): void {
    const last = past.value[past.value.length - 1]
    if (!last) return
    const before = window.value
    past.value = past.value.slice(0, -1)
    if (before) future.value = [...future.value, before]
    window.value = last
    following.value = false
    if (before) remember(before)
  }

  function lookForward(): void {
    const next = future.value[future.value.length - 1]
    if (!next) return
    const before = window.value
    future.value = future.value.slice(0, -1)
    if (before) past.value = [...past.value, before]
    window.value = next
    following.value = false
    if (before) remember(before)
  }

  function point(at: number): void {
    if (!extent.value) return
    needle.value = clampTo(extent.value, at)
    following.value = false
  }

  function play(on: boolean): void {
    playing.value = on
    if (on) following.value = false
  }

  function follow(on: boolean): void {
    following.value = on
    if (on) playing.value = false
    if (on && extent.value) grow(extent.value)
  }

  function loop(on: boolean): void {
    looping.value = on
  }

  /** Pin the moment at the needle; the pinned one itself is let go. */
  function pin(): void {
    pinned.value = pinned.value === needle.value ? null : needle.value
  }

  /** The mark goes where the needle is; where it is already, it goes away. */
  function toggleMark(): void {
    mark.value = mark.value === needle.value ? null : needle.value
  }

  function changePace(by: 1 | -1): void {
    const next = PACES[PACES.indexOf(pace.value) + by]
    if (next !== undefined) pace.value = next
  }

  return {
    extent: computed(() => extent.value),
    window: computed(() => window.value),
    needle: computed(() => needle.value),
    /** Apart from where it is, for whom that is all that matters. */
    hasNeedle: computed(() => needle.value !== null),
    pace,
    playing: computed(() => playing.value),
    following: computed(() => following.value),
    selected,
    tab,
    mark,
    processFilter,
    linkProblem,
    finding,
    against,
    usual,
    averaging,
    steps: computed(() => steps.value),
    revisit,
    outside: computed(() => outside.value),
    forgetOutside: () => {
      outside.value = null
    },
    looping: computed(() => looping.value),
    pinned: computed(() => pinned.value),
    unpin: () => {
      pinned.value = null
    },
    loop,
    pin,
    toggleMark,
    open,
    close,
    grow,
    look,
    slide,
    settle,
    lookBack,
    lookForward,
    point,
    play,
    follow,
    changePace,
  }
})
