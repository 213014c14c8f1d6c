<script setup lang="ts">
import { onClickOutside, onKeyStroke } from '@vueuse/core'
import { nextTick, reactive, ref, useTemplateRef } from 'vue'

/** A button, and a panel that hangs below it over everything else; Escape or a press elsewhere closes it. */
interface Props {
  /** What the button does, for those who cannot see it; it holds the button's own text. */
  label: string
  /** Of the panel. */
  title: string
  /** Room that the panel needs below, in pixels; with less it hangs higher. */
  room?: number
}
const props = withDefaults(defineProps<Props>(), { room: 330 })
defineOptions({ inheritAttrs: false })

const MARGIN_PX = 48
const button = useTemplateRef<HTMLButtonElement>('button')
const panel = useTemplateRef<HTMLDivElement>('panel')
const isOpen = ref(false)
const place = reactive({ left: '0', top: '0' })

async function toggle(): Promise<void> {
  isOpen.value = !isOpen.value
  const box = button.value?.getBoundingClientRect()
  if (!isOpen.value || !box) return
  const top = Math.max(Math.min(box.bottom + 2, innerHeight - props.room), MARGIN_PX)
  Object.assign(place, { left: `${box.left - 4}px`, top: `${top}px` })
  await nextTick()
  panel.value?.focus()
}

function close(): void {
  isOpen.value = false
}
function closeByKey(): void {
  if (!isOpen.value) return
  close()
  button.value?.focus()
}
onClickOutside(panel, close, { ignore: [button] })
onKeyStroke('Escape', closeByKey)
/** Tab leads from the button into the panel, and from its end back to the button. */
function leave(event: FocusEvent): void {
  const next = event.relatedTarget
  if (next instanceof Node && !panel.value?.contains(next) && next !== button.value) closeByKey()
}
</script>

<template>
  <button
    ref="button"
    type="button"
    :aria-label="label"
    :aria-expanded="isOpen"
    aria-haspopup="dialog"
    v-bind="$attrs"
    @click="toggle"
  >
    <slot name="button" />
  </button>
  <Teleport to="body">
    <div
      v-if="isOpen"
      ref="panel"
      role="dialog"
      tabindex="-1"
      :aria-label="title"
      class="fixed z-50 border border-rule-strong bg-leaf p-3 shadow-xl outline-none"
      :style="place"
      @focusout="leave"
    >
      <slot :close="closeByKey" />
    </div>
  </Teleport>
</template>
