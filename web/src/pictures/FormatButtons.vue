<script setup lang="ts">
import { usePictureOf, type Format } from './usePictures'

/** Copy or save strips as a picture, in either format. */
interface Props {
  verb: 'copy' | 'save'
  /** Keys of the strips. */
  strips: readonly number[]
  /** What they are together, where it is more than the strip that the menu is of. */
  what?: string
}
const props = defineProps<Props>()
const emit = defineEmits<{ done: [] }>()

const FORMATS: Format[] = ['PNG', 'SVG']
const picture = usePictureOf()
const labelOf = (format: Format): string =>
  [props.verb === 'copy' ? 'Copy' : 'Save', props.what, 'as', format].filter(Boolean).join(' ')
function hand(format: Format): void {
  void picture[props.verb](props.strips, format)
  emit('done')
}
</script>

<template>
  <button
    v-for="format in FORMATS"
    :key="format"
    type="button"
    class="hover:text-needle disabled:opacity-40"
    :aria-label="labelOf(format)"
    :disabled="!strips.length"
    @click="hand(format)"
  >
    {{ format }}
  </button>
</template>
