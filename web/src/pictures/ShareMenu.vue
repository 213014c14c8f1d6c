<script setup lang="ts">
import HangingPanel from '../ui/HangingPanel.vue'
import FormatButtons from './FormatButtons.vue'
import { usePictureOf } from './usePictures'

/** All strips of the layout, to share: as a link, as a picture, on paper. */
const picture = usePictureOf()
const copyLink = (): Promise<void> => picture.copyText(window.location.href, 'The link to what is shown')
function print(): void {
  window.print()
}
</script>

<template>
  <HangingPanel
    label="share: all strips as a link, as a picture, on paper"
    title="Share what is shown"
    class="hover:text-ink @max-[860px]:hidden"
    data-share
  >
    <template #button>share</template>
    <template #default="{ close }">
      <dl class="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1.5">
        <dt class="text-soft">copy</dt>
        <dd class="flex gap-x-3">
          <button type="button" class="hover:text-needle" @click="(close(), void copyLink())">link</button>
          <FormatButtons verb="copy" what="all strips" :strips="picture.all.value" @done="close()" />
        </dd>
        <dt class="text-soft">save</dt>
        <dd class="flex gap-x-3">
          <FormatButtons verb="save" what="all strips" :strips="picture.all.value" @done="close()" />
        </dd>
        <dt class="text-soft">paper</dt>
        <dd>
          <button type="button" class="hover:text-needle" @click="(close(), print())">print …</button>
        </dd>
      </dl>
    </template>
  </HangingPanel>
</template>
