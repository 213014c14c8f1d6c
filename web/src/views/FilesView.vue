<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue'
import { useCancelImport, useImports, useRemoveImport } from '../api/imports'
import FormatTable from '../imports/FormatTable.vue'
import ImportEntry from '../imports/ImportEntry.vue'
import { useUploads } from '../imports/useUploads'
import { useKeys } from '../replay/useKeys'
import { useSettings } from '../settings/useSettings'
import PillButton from '../ui/PillButton.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { usePreferences } from '../usePreferences'

/** Files from elsewhere: sent, looked at, read, and followed into an archive. */
const { data: every, error, isPending } = useImports()
const uploads = useUploads()
const [cancelling, removing] = [useCancelImport(), useRemoveImport()]
const { toggleZone, toggleTheme } = usePreferences()
const { open: openSettings } = useSettings()
useKeys({ zone: toggleZone, theme: toggleTheme, settings: openSettings })
const field = useTemplateRef<HTMLInputElement>('field')
const isOver = ref(false)
const trouble = computed(
  () => [cancelling, removing].flatMap((write) => write.error.value?.message ?? [])[0] ?? '',
)

function take(files: FileList | null | undefined): void {
  for (const file of files ?? []) {
    const broken = every.value?.find(
      (item) =>
        item.state === 'receiving' &&
        item.name === file.name &&
        item.size_bytes === file.size &&
        !uploads.running.has(item.id),
    )
    void uploads.send(file, broken ?? null)
  }
}
function chosen(event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return
  take(event.target.files)
  event.target.value = ''
}
function dropped(event: DragEvent): void {
  isOver.value = false
  take(event.dataTransfer?.files)
}
function cancel(id: string): void {
  uploads.stop(id)
  cancelling.mutate(id)
}
</script>

<template>
  <div class="flex flex-col">
    <TopBar />
    <main class="relative grow overflow-y-auto">
      <div class="mx-auto w-full max-w-6xl px-6 pt-8 pb-12">
        <h1 class="font-serif text-3xl font-semibold">Files</h1>
        <p class="mt-1 max-w-[80ch] text-soft">
          Numbers from elsewhere become an archive: archive files and captures as they are, anybody’s tables
          by what their columns mean. Nothing of a file is kept before all of it was read.
        </p>
        <div
          class="mt-5 flex items-center gap-4 border border-dashed px-5 py-4"
          :class="isOver ? 'border-needle bg-leaf' : 'border-rule-strong'"
          data-drop
          @dragover.prevent="isOver = true"
          @dragleave="isOver = false"
          @drop.prevent="dropped"
        >
          <input
            ref="field"
            type="file"
            multiple
            class="sr-only"
            tabindex="-1"
            aria-label="Files to read"
            data-files
            @change="chosen"
          />
          <PillButton label="Choose files" @press="field?.click()">Choose files</PillButton>
          <span class="text-soft"
            >or drop them here. What is sent is read on this server and goes nowhere else.</span
          >
        </div>
        <p v-if="trouble" class="mt-2 text-needle" role="alert">{{ trouble }}</p>
        <StateNote v-if="isPending" title="Loading imports" busy />
        <StateNote v-else-if="error && !every" title="The imports cannot be listed" :hint="error.message" />
        <ol v-else class="mt-4" aria-label="Imports, the newest first">
          <ImportEntry
            v-for="item in every ?? []"
            :key="item.id"
            :item="item"
            :upload="uploads.running.get(item.id) ?? null"
            @cancel="cancel(item.id)"
            @remove="removing.mutate(item.id)"
          />
        </ol>
        <h2 class="mt-8 mb-2 font-serif text-xl font-semibold">Formats</h2>
        <FormatTable />
        <p class="mt-3 max-w-[90ch] text-soft">
          Out: the details of an archive save it whole; <i>share</i> on the workbench saves the numbers of
          what is shown; <code>./reditus export</code> does both.
        </p>
      </div>
    </main>
  </div>
</template>
