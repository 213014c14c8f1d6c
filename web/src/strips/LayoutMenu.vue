<script setup lang="ts">
import { computed, ref } from 'vue'
import { useDeleteLayout, useOrderLayouts, useRestoreLayout, useSaveLayout } from '../api/mutations'
import { PARTS } from '../model/strips'
import { saveAs as saveFile } from '../pictures/usePictures'
import HangingPanel from '../ui/HangingPanel.vue'
import { useStrips, type SavedLayout } from '../useStrips'
import { useSession } from '../workbench/session'
import { readLayoutFile, writeLayoutFile } from './layoutFile'

/** Layouts that were saved: choose, save, order, double, delete and bring back, hand on as a file. */
const board = useStrips()
const { archive } = useSession()
const save = useSaveLayout()
const remove = useDeleteLayout()
const restore = useRestoreLayout()
const reorder = useOrderLayouts()

const name = ref('')
const onlyHere = ref(false)
const gone = ref<SavedLayout | null>(null)
const problem = ref<string | null>(null)
const trouble = computed(
  () =>
    problem.value ??
    [save, remove, restore, reorder].map((write) => write.error.value?.message).find(Boolean) ??
    null,
)
const shownStrips = computed(() => board.text.split(PARTS).filter(Boolean))

async function put(layout: SavedLayout, becomes: boolean): Promise<void> {
  problem.value = null
  const kept = await save.mutateAsync(layout).catch(() => null)
  if (kept && becomes) board.became(kept)
}
async function saveAs(): Promise<void> {
  const host = onlyHere.value ? (archive.value?.host.id ?? null) : null
  await put({ id: crypto.randomUUID(), name: name.value.trim(), host, strips: shownStrips.value }, true)
  name.value = ''
}
const saveHere = (layout: SavedLayout): Promise<void> => put({ ...layout, strips: shownStrips.value }, true)
const twin = (layout: SavedLayout): Promise<void> =>
  put({ ...layout, id: crypto.randomUUID(), name: `${layout.name}, copy`.slice(0, 120) }, false)
function rename(layout: SavedLayout, event: Event): void {
  const typed = (event.target as HTMLInputElement).value.trim()
  if (typed && typed !== layout.name) void put({ ...layout, name: typed }, false)
}
async function drop(layout: SavedLayout): Promise<void> {
  await remove.mutateAsync(layout.id).catch(() => null)
  if (remove.error.value) return
  gone.value = layout
  if (board.layout === layout.id) board.choose('first')
}
async function bringBack(): Promise<void> {
  if (gone.value) await restore.mutateAsync(gone.value.id).catch(() => null)
  if (!restore.error.value) gone.value = null
}
function moveUp(at: number): void {
  const ids = board.saved.map((layout) => layout.id)
  const [here, above] = [ids[at], ids[at - 1]]
  if (!here || !above) return
  ids.splice(at - 1, 2, here, above)
  reorder.mutate(ids)
}

function handOn(layout: SavedLayout): void {
  const file = new Blob([writeLayoutFile(layout)], { type: 'application/json' })
  saveFile(file, `${layout.name.replace(/[^\p{L}\p{N} .-]/gu, '_')}.layout.json`)
}
async function takeIn(event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const file = field.files?.[0]
  field.value = ''
  if (!file) return
  const found = readLayoutFile(await file.text())
  if (typeof found === 'string') {
    problem.value = `${file.name}: ${found}`
    return
  }
  await put({ id: crypto.randomUUID(), host: null, ...found }, true)
  const kept = board.own
  if (kept) board.reset()
}
</script>

<template>
  <HangingPanel
    :label="board.own ? `My layouts: ${board.own.name}` : 'My layouts'"
    title="My layouts"
    class="max-w-44 truncate font-serif text-[15px] italic hover:text-ink"
    :class="board.own ? 'font-semibold text-ink' : ''"
    data-layout="own"
  >
    <template #button>{{ board.own?.name ?? 'My layouts' }} ▾</template>
    <template #default="{ close }">
      <div class="w-[22rem] space-y-2.5" data-layout-menu>
        <p v-if="!board.saved.length" class="text-soft">
          Arrange strips as you need them, then save them here under a name.
        </p>
        <ul v-else class="max-h-[40vh] divide-y divide-rule overflow-y-auto">
          <li v-for="(layout, at) in board.saved" :key="layout.id" class="py-1" data-saved-layout>
            <div class="flex items-baseline gap-2">
              <button
                type="button"
                class="truncate text-left hover:text-needle"
                :class="board.layout === layout.id ? 'font-semibold' : ''"
                @click="(board.choose(layout.id), close())"
              >
                {{ layout.name }}
              </button>
              <span v-if="layout.host" class="text-2xs whitespace-nowrap text-soft">this host</span>
              <span v-if="board.opensFirst === layout.id" class="text-2xs whitespace-nowrap text-needle"
                >opens first</span
              >
            </div>
            <div class="flex flex-wrap gap-x-2.5 text-2xs text-soft">
              <button
                v-if="board.layout === layout.id && board.isChanged"
                type="button"
                class="text-ink underline hover:text-needle"
                @click="saveHere(layout)"
              >
                save changes
              </button>
              <button
                v-if="board.opensFirst !== layout.id"
                type="button"
                class="hover:text-ink"
                @click="board.opensFirst = layout.id"
              >
                make default
              </button>
              <button v-if="at > 0" type="button" class="hover:text-ink" @click="moveUp(at)">up</button>
              <button type="button" class="hover:text-ink" @click="twin(layout)">duplicate</button>
              <button type="button" class="hover:text-ink" @click="handOn(layout)">file</button>
              <button type="button" class="hover:text-needle" @click="drop(layout)">delete</button>
              <label class="flex items-center gap-1"
                >name
                <input
                  class="w-24 border-b border-rule bg-transparent text-ink"
                  :value="layout.name"
                  maxlength="120"
                  :aria-label="`Name of ${layout.name}`"
                  @change="rename(layout, $event)"
              /></label>
            </div>
          </li>
        </ul>
        <p v-if="gone" class="text-2xs" role="status">
          {{ gone.name }} is deleted.
          <button type="button" class="underline hover:text-needle" @click="bringBack()">Undo</button>
        </p>
        <form class="space-y-1 border-t border-rule pt-2" @submit.prevent="saveAs()">
          <label class="block text-2xs text-soft" for="layout-name">Save what is shown as</label>
          <div class="flex gap-2">
            <input
              id="layout-name"
              v-model="name"
              required
              maxlength="120"
              placeholder="a name"
              class="min-w-0 grow border-b border-rule-strong bg-transparent py-0.5"
            />
            <button
              type="submit"
              class="underline hover:text-needle disabled:opacity-40"
              :disabled="!name.trim() || !shownStrips.length"
            >
              save
            </button>
          </div>
          <label class="flex items-center gap-1 text-2xs text-soft">
            <input v-model="onlyHere" type="checkbox" class="accent-ink" />only for
            {{ archive?.host.name ?? 'this host' }}
          </label>
        </form>
        <label class="block text-2xs text-soft">
          From a file
          <input type="file" accept=".json,application/json" class="block w-full" @change="takeIn" />
        </label>
        <p v-if="trouble" class="text-2xs text-needle" role="alert">{{ trouble }}</p>
      </div>
    </template>
  </HangingPanel>
</template>
