<script setup lang="ts">
import { useTemplateRef } from 'vue'
import { useRouter } from 'vue-router'
import { useOpenBundle } from '../api/bundles'
import PillButton from '../ui/PillButton.vue'

/** Opens a bundle that was sent to you, beside one's own. */
const open = useOpenBundle()
const router = useRouter()
const field = useTemplateRef<HTMLInputElement>('field')
function chosen(event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return
  const file = event.target.files?.[0]
  event.target.value = ''
  if (file)
    open.mutate(file, {
      onSuccess: (made) => void router.push({ name: 'investigation', params: { id: made.id } }),
    })
}
</script>

<template>
  <div class="text-right">
    <input
      ref="field"
      type="file"
      accept=".zip,application/zip"
      class="sr-only"
      tabindex="-1"
      aria-label="A bundle"
      data-bundle-file
      @change="chosen"
    />
    <PillButton
      label="Open a bundle that was sent to you"
      :disabled="open.isPending.value"
      @press="field?.click()"
      >{{ open.isPending.value ? 'Opening …' : 'Open a bundle' }}</PillButton
    >
    <p v-if="open.error.value" class="mt-1 max-w-md text-needle" role="alert">
      {{ open.error.value.message }}
    </p>
  </div>
</template>
