<script setup lang="ts">
import { autoUpdate, flip, offset, shift, useFloating } from '@floating-ui/vue'
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/vue'
import { computed, useTemplateRef, type ComponentPublicInstance } from 'vue'

/** A button, and a panel that hangs below it over everything else; Escape or a press elsewhere closes it. */
interface Props {
  /** What the button does, for those who cannot see it; it holds the button's own text. */
  label: string
  /** Of the panel. */
  title: string
}
defineProps<Props>()
defineOptions({ inheritAttrs: false })

const MARGIN_PX = 8
const button = useTemplateRef<ComponentPublicInstance>('button')
const panel = useTemplateRef<ComponentPublicInstance>('panel')
const { floatingStyles } = useFloating(
  computed(() => button.value?.$el as HTMLElement | undefined),
  computed(() => panel.value?.$el as HTMLElement | undefined),
  {
    strategy: 'fixed',
    placement: 'bottom-start',
    middleware: [
      offset({ mainAxis: 2, crossAxis: -4 }),
      flip({ padding: MARGIN_PX }),
      shift({ padding: MARGIN_PX, crossAxis: true }),
    ],
    whileElementsMounted: autoUpdate,
  },
)
</script>

<template>
  <Popover as="span" class="contents">
    <PopoverButton ref="button" :aria-label="label" :title="title" v-bind="$attrs">
      <slot name="button" />
    </PopoverButton>
    <Teleport to="body">
      <PopoverPanel
        ref="panel"
        v-slot="{ close }"
        focus
        role="dialog"
        :aria-label="title"
        class="z-50 border border-rule-strong bg-leaf p-3 shadow-xl outline-none"
        :style="floatingStyles"
      >
        <slot :close="close" />
      </PopoverPanel>
    </Teleport>
  </Popover>
</template>
