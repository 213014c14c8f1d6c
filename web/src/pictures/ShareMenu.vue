<script setup lang="ts">
import { computed } from 'vue'
import { TABLES, tableAddress } from '../imports/exporting'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import HangingPanel from '../ui/HangingPanel.vue'
import FormatButtons from './FormatButtons.vue'
import { usePictureOf } from './usePictures'

/** All strips of the layout, to share: as a link, as a picture, as numbers, on paper. */
const picture = usePictureOf()
const board = useStrips()
const bench = useWorkbench()
const { id } = useSession()
const tables = computed(() => {
  const window = bench.window
  return window
    ? TABLES.flatMap(({ format, title }) => {
        const address = tableAddress(id.value, board.strips, window, format)
        return address ? [{ format, title, address }] : []
      })
    : []
})
const copyLink = (): Promise<void> => picture.copyText(window.location.href, 'The link to what is shown')
function print(): void {
  window.print()
}
</script>

<template>
  <HangingPanel
    label="share: all strips as a link, as a picture, as numbers, on paper"
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
        <dt v-if="tables.length" class="text-soft">numbers</dt>
        <dd v-if="tables.length" class="flex gap-x-3">
          <a
            v-for="table in tables"
            :key="table.format"
            :href="table.address"
            download
            class="hover:text-needle"
            :title="`Every tick of what is shown, as ${table.title}`"
            @click="close()"
            >{{ table.title }}</a
          >
        </dd>
        <dt class="text-soft">paper</dt>
        <dd>
          <button type="button" class="hover:text-needle" @click="(close(), print())">print …</button>
        </dd>
      </dl>
    </template>
  </HangingPanel>
</template>
