<script setup lang="ts">
import HangingPanel from '../ui/HangingPanel.vue'
import { useSession } from '../workbench/session'
import { usePictureOf } from './usePictures'

/** All strips of the layout, to hand on: as a link, as a picture, on paper. */
const { archive } = useSession()
const picture = usePictureOf(() => ({
  host: archive.value?.host.name ?? '',
  archive: archive.value?.name ?? '',
}))
const FORMATS = ['PNG', 'SVG'] as const
const copyLink = (): Promise<void> => picture.copyText(window.location.href, 'The link to what is shown')
function print(): void {
  window.print()
}
</script>

<template>
  <HangingPanel
    label="hand on: all strips as a link, as a picture, on paper"
    title="Hand on what is shown"
    class="hover:text-ink @max-[860px]:hidden"
    data-hand-on
  >
    <template #button>hand on</template>
    <template #default="{ close }">
      <dl class="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1.5">
        <dt class="text-soft">copy</dt>
        <dd class="flex gap-x-3">
          <button type="button" class="hover:text-needle" @click="(close(), void copyLink())">link</button>
          <button
            v-for="format in FORMATS"
            :key="format"
            type="button"
            class="hover:text-needle disabled:opacity-40"
            :aria-label="`Copy all strips as ${format}`"
            :disabled="!picture.all.value.length"
            @click="(close(), void picture.copy(picture.all.value, format))"
          >
            {{ format }}
          </button>
        </dd>
        <dt class="text-soft">save</dt>
        <dd class="flex gap-x-3">
          <button
            v-for="format in FORMATS"
            :key="format"
            type="button"
            class="hover:text-needle disabled:opacity-40"
            :aria-label="`Save all strips as ${format}`"
            :disabled="!picture.all.value.length"
            @click="(close(), void picture.save(picture.all.value, format))"
          >
            {{ format }}
          </button>
        </dd>
        <dt class="text-soft">paper</dt>
        <dd>
          <button type="button" class="hover:text-needle" @click="(close(), print())">print …</button>
        </dd>
      </dl>
    </template>
  </HangingPanel>
</template>
