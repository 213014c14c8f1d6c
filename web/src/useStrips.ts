import { useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { isLayout, stripsOf, type DeviceRef, type LayoutId } from './model/layouts'
import { MOST_STRIPS, stripOf, writeStrips, type Strip, type StripPlan } from './model/strips'

/** Which strips are shown, and how: a ready layout, and what was changed about it. */
export const useStrips = defineStore('strips', () => {
  /** The layout that opens where a link names none; there always is one. */
  const opensFirst = useStorage<LayoutId>('reditus.layout', 'first')
  const layout = ref<LayoutId>('first')
  const device = shallowRef<DeviceRef | null>(null)
  const strips = shallowRef<Strip[]>([])

  const ready = computed(() => writeStrips(stripsOf(layout.value, device.value)))
  const text = computed(() => writeStrips(strips.value))
  const isChanged = computed(() => text.value !== ready.value)

  function choose(next: LayoutId, alone: DeviceRef | null = device.value): void {
    layout.value = next
    device.value = alone
    strips.value = stripsOf(next, alone)
  }

  /** As a link tells it. */
  function open(next: unknown, alone: DeviceRef | null, linked: Strip[] | null): void {
    const first = isLayout(opensFirst.value) ? opensFirst.value : 'first'
    choose(isLayout(next) ? next : first === 'device' && !alone ? 'first' : first, alone)
    if (linked?.length) strips.value = linked
  }

  /** Just these, in place of what is there; the layout brings that back. */
  function show(linked: Strip[]): void {
    if (linked.length) strips.value = linked.slice(0, MOST_STRIPS)
  }

  function change(key: number, more: Partial<Strip>): void {
    strips.value = strips.value.map((strip) => (strip.key === key ? { ...strip, ...more } : strip))
  }

  function remove(key: number): void {
    strips.value = strips.value.filter((strip) => strip.key !== key)
  }

  /** Put a strip in front of the one that is now at `to`. */
  function move(key: number, to: number): void {
    const from = strips.value.findIndex((strip) => strip.key === key)
    const strip = strips.value[from]
    if (!strip) return
    const rest = strips.value.filter((item) => item.key !== key)
    const at = Math.min(Math.max(to > from ? to - 1 : to, 0), rest.length)
    strips.value = [...rest.slice(0, at), strip, ...rest.slice(at)]
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
    strips.value = [...strips.value.slice(0, at + 1), twin, ...strips.value.slice(at + 1)]
  }

  /** A new strip, at the top, where it is seen at once. */
  function add(plan: StripPlan, more: Partial<Strip> = {}): void {
    if (strips.value.length < MOST_STRIPS) strips.value = [stripOf(plan, more), ...strips.value]
  }

  return {
    opensFirst,
    layout: computed(() => layout.value),
    device: computed(() => device.value),
    strips: computed(() => strips.value),
    text,
    isChanged,
    choose,
    open,
    show,
    change,
    remove,
    move,
    moveBy,
    duplicate,
    add,
  }
})
