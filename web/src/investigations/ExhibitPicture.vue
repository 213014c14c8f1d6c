<script setup lang="ts">
import { computed, toRef } from 'vue'
import { usePicture } from '../api/investigations'
import { usePreferences } from '../usePreferences'

/** A picture as the server drew it from the frozen numbers. */
const props = defineProps<{ exhibit: string; place: number; title: string }>()
const { theme } = usePreferences()
const { data, error } = usePicture(toRef(props, 'exhibit'), toRef(props, 'place'), theme)
/** Drawn by the server, which wrote every text of it as text; only what is a picture is taken over. */
const svg = computed(() => {
  if (!data.value) return null
  const parsed = new DOMParser().parseFromString(data.value, 'image/svg+xml').documentElement
  if (parsed.nodeName !== 'svg') return null
  parsed.removeAttribute('width')
  parsed.removeAttribute('height')
  return document.importNode(parsed, true)
})
const shown = (element: unknown): void => {
  if (element instanceof HTMLElement && svg.value) element.replaceChildren(svg.value)
}
</script>

<template>
  <p v-if="error" class="text-needle" role="alert">{{ error.message }}</p>
  <div
    v-else
    :ref="(element) => shown(element)"
    :key="`${theme} ${data?.length ?? 0}`"
    class="min-h-[100px] max-w-[720px] [&_svg]:h-auto [&_svg]:w-full"
    :aria-busy="!data"
    data-exhibit-picture
  />
</template>
