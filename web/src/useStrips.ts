import { useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { isLayout, planNamed, stripsOf, type DeviceRef, type KnownMeasure } from './model/layouts'
import {
  MOST_STRIPS,
  PARTS,
  readStrips,
  stripOf,
  writeStrips,
  type Strip,
  type StripPlan,
} from './model/strips'
import { useHistory } from './useHistory'

/** A layout that was saved: its strips are text until they are shown. */
export interface SavedLayout {
  id: string
  name: string
  /** Only for this host; null: for all. */
  host: string | null
  strips: string[]
}

interface Board {
  layout: string
  device: DeviceRef | null
  strips: Strip[]
}

/** Which strips are shown, and how: a layout, ready-made or saved, and what was changed about it. */
export const useStrips = defineStore('strips', () => {
  const history = useHistory()
  /** The layout that opens where a link names none; there always is one. */
  const opensFirst = useStorage<string>('reditus.layout', 'first')
  /** Changes that were not saved, by layout: they are there again when one comes back to it. */
  const drafts = useStorage<Record<string, string>>('reditus.drafts', {})
  const layout = ref<string>('first')
  const device = shallowRef<DeviceRef | null>(null)
  const strips = shallowRef<Strip[]>([])
  const saved = shallowRef<SavedLayout[]>([])
  const measures = shallowRef<KnownMeasure[]>([])

  const read = (text: string): Strip[] => readStrips(text, (name) => planNamed(name, measures.value))
  const own = computed(() => saved.value.find((item) => item.id === layout.value) ?? null)
  function readyStrips(id: string, alone: DeviceRef | null): Strip[] {
    const found = saved.value.find((item) => item.id === id)
    if (found) return read(found.strips.join(PARTS))
    return stripsOf(isLayout(id) ? id : 'first', alone, measures.value)
  }
  const ready = computed(() => writeStrips(readyStrips(layout.value, device.value)))
  const text = computed(() => writeStrips(strips.value))
  const isChanged = computed(() => text.value !== ready.value)
  const isThere = (id: unknown): id is string => isLayout(id) || saved.value.some((item) => item.id === id)
  const draftKey = (id: string, alone: DeviceRef | null): string =>
    id === 'device' && alone ? `device ${alone.kind} ${alone.name}` : id

  const now = (): Board => ({ layout: layout.value, device: device.value, strips: strips.value })
  function put(board: Board): void {
    layout.value = board.layout
    device.value = board.device
    strips.value = board.strips
    keepDraft()
  }
  const withoutDraft = (key: string): Record<string, string> =>
    Object.fromEntries(Object.entries(drafts.value).filter(([other]) => other !== key))
  function keepDraft(): void {
    const key = draftKey(layout.value, device.value)
    const others = withoutDraft(key)
    drafts.value = isChanged.value ? { ...others, [key]: text.value } : others
  }

  /** Every change goes through here, so that each can be taken back. */
  function change(label: string, next: Partial<Board>, group: string | null = null): void {
    const before = now()
    const after = { ...before, ...next }
    put(after)
    history.push(
      {
        label,
        undo: () => {
          put(before)
        },
        redo: () => {
          put(after)
        },
      },
      group,
    )
  }

  /** The strips of a layout: with what was changed about it the last time, if anything was. */
  function opened(id: string, alone: DeviceRef | null): Strip[] {
    const draft = drafts.value[draftKey(id, alone)]
    const found = draft ? read(draft) : []
    return found.length ? found : readyStrips(id, alone)
  }

  function choose(next: string, alone: DeviceRef | null = device.value): void {
    change('another layout', { layout: next, device: alone, strips: inPlace(opened(next, alone)) })
  }

  /** With the keys of the strips whose places they take: the page changes what is there, and builds nothing from scratch. */
  function inPlace(next: Strip[]): Strip[] {
    return next.map((strip, at) => ({ ...strip, key: strips.value[at]?.key ?? strip.key }))
  }

  /** The layout as it was saved, or as it is ready-made. */
  function reset(): void {
    change('layout reset', { strips: readyStrips(layout.value, device.value) })
  }

  /** As a link names it. */
  function open(next: unknown, alone: DeviceRef | null, linked: Strip[] | null): void {
    const first = isThere(opensFirst.value) ? opensFirst.value : 'first'
    const id = isThere(next) ? next : first === 'device' && !alone ? 'first' : first
    layout.value = id
    device.value = alone
    // A link says what is shown; without one the last changes are there again.
    strips.value = linked?.length ? linked : isThere(next) ? readyStrips(id, alone) : opened(id, alone)
    history.clear()
  }

  /** Just these, in place of what is there; the layout brings that back. */
  function show(linked: Strip[]): void {
    if (linked.length) change('other strips', { strips: linked.slice(0, MOST_STRIPS) })
  }

  function changeStrip(key: number, more: Partial<Strip>): void {
    const group = 'height' in more ? `height ${key}` : null
    const next = strips.value.map((strip) => (strip.key === key ? { ...strip, ...more } : strip))
    change('strip changed', { strips: next }, group)
  }

  function remove(key: number): void {
    change('strip removed', { strips: strips.value.filter((strip) => strip.key !== key) })
  }

  /** Put a strip in front of the one that is now at `to`. */
  function move(key: number, to: number): void {
    const from = strips.value.findIndex((strip) => strip.key === key)
    const strip = strips.value[from]
    if (!strip) return
    const rest = strips.value.filter((item) => item.key !== key)
    const at = Math.min(Math.max(to > from ? to - 1 : to, 0), rest.length)
    if (at !== from) change('strip moved', { strips: [...rest.slice(0, at), strip, ...rest.slice(at)] })
  }

  function moveBy(key: number, by: 1 | -1): void {
    const from = strips.value.findIndex((strip) => strip.key === key)
    move(key, by > 0 ? from + 2 : from - 1)
  }

  function duplicate(key: number): void {
    const at = strips.value.findIndex((strip) => strip.key === key)
    const strip = strips.value[at]
    if (!strip || strips.value.length >= MOST_STRIPS) return
    const twin = stripOf(strip.plan, { ...strip })
    change('strip doubled', {
      strips: [...strips.value.slice(0, at + 1), twin, ...strips.value.slice(at + 1)],
    })
  }

  /** A new strip, at the top, where it is seen at once. */
  function add(plan: StripPlan, more: Partial<Strip> = {}): void {
    if (strips.value.length < MOST_STRIPS)
      change('strip added', { strips: [stripOf(plan, more), ...strips.value] })
  }

  /** What is shown is what the layout of this id has from now on: it was saved. */
  function became(next: SavedLayout): void {
    drafts.value = withoutDraft(draftKey(layout.value, device.value))
    saved.value = [...saved.value.filter((item) => item.id !== next.id), next]
    layout.value = next.id
    keepDraft()
  }

  return {
    opensFirst,
    saved,
    measures,
    layout: computed(() => layout.value),
    own,
    device: computed(() => device.value),
    strips: computed(() => strips.value),
    text,
    isChanged,
    choose,
    reset,
    open,
    show,
    change: changeStrip,
    remove,
    move,
    moveBy,
    duplicate,
    add,
    became,
  }
})
