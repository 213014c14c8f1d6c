import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'

/** One change that can be taken back. */
export interface Change {
  /** What was done, in words: "zoom", "strip removed". */
  label: string
  undo: () => void
  redo: () => void
}

const MOST = 200
/** Changes that belong together, such as dragging an edge, come so soon after each other. */
const TOGETHER_MS = 800

interface Kept extends Change {
  group: string | null
  at: number
}

/** Every change of window, strips and layout, so that each can be taken back, and that be taken back as well. */
export const useHistory = defineStore('history', () => {
  const past = shallowRef<Kept[]>([])
  const future = shallowRef<Kept[]>([])
  /** While a change is taken back, what that changes is no change of its own. */
  let replaying = false

  /** `group` names what comes in many small changes; they are one as long as they come in a row. */
  function push(change: Change, group: string | null = null): void {
    if (replaying) return
    const now = Date.now()
    const last = past.value.at(-1)
    const joins = group !== null && last?.group === group && now - last.at < TOGETHER_MS
    const kept: Kept = { ...change, undo: joins ? last.undo : change.undo, group, at: now }
    past.value = [...past.value.slice(joins ? 0 : 1 - MOST, joins ? -1 : undefined), kept]
    future.value = []
  }

  function replay(change: Kept, way: 'undo' | 'redo'): void {
    replaying = true
    try {
      change[way]()
    } finally {
      replaying = false
    }
  }

  function undo(): void {
    const last = past.value.at(-1)
    if (!last) return
    past.value = past.value.slice(0, -1)
    future.value = [...future.value, last]
    replay(last, 'undo')
  }

  function redo(): void {
    const next = future.value.at(-1)
    if (!next) return
    future.value = future.value.slice(0, -1)
    past.value = [...past.value, { ...next, group: null }]
    replay(next, 'redo')
  }

  function clear(): void {
    past.value = []
    future.value = []
  }

  return {
    undone: computed(() => past.value.at(-1)?.label ?? null),
    redone: computed(() => future.value.at(-1)?.label ?? null),
    push,
    undo,
    redo,
    clear,
  }
})
