<script setup lang="ts">
import { nextTick, ref } from 'vue'
import type { Exhibit, Hypothesis } from '../api/client'
import StateNote from '../ui/StateNote.vue'
import ExhibitItem from './ExhibitItem.vue'
import { moved, placed } from './order'
import type { Draft } from './useDraft'

/** The evidence in the analyst's order, which is changed by dragging a number, or with Alt and the arrows. */
interface Props {
  exhibits: Exhibit[]
  draft: Draft
  hypotheses: [string, Hypothesis][]
  fixed: boolean
}
const props = defineProps<Props>()
const emit = defineEmits<{ remove: [exhibit: Exhibit] }>()
const dragged = ref<string | null>(null)
const over = ref<string | null>(null)
const ids = (): string[] => props.exhibits.map(({ id }) => id)
function move(id: string, by: number): void {
  props.draft.set('order', moved(ids(), id, by))
  void nextTick(() => {
    document.getElementById(`exhibit-${id}`)?.focus()
  })
}
function drop(before: string): void {
  if (dragged.value) props.draft.set('order', placed(ids(), dragged.value, before))
  dragged.value = over.value = null
}
</script>

<template>
  <div class="relative min-h-0 grow overflow-y-auto pb-6" tabindex="-1" data-exhibits>
    <StateNote
      v-if="!exhibits.length"
      title="No exhibit yet"
      :hint="
        fixed
          ? 'This bundle holds none.'
          : 'Open an archive, point at a strip, a finding, the moment or a table, and press X: it is frozen here with its numbers.'
      "
    />
    <div
      v-for="exhibit in exhibits"
      :id="`exhibit-${exhibit.id}`"
      :key="exhibit.id"
      :draggable="!fixed && dragged === exhibit.id"
      :class="over === exhibit.id && dragged !== exhibit.id ? 'border-t-2 border-needle' : ''"
      tabindex="-1"
      role="group"
      :aria-label="`Exhibit ${exhibit.number}, ${exhibit.caption || exhibit.title}`"
      @keydown.alt.up.prevent="!fixed && move(exhibit.id, -1)"
      @keydown.alt.down.prevent="!fixed && move(exhibit.id, 1)"
      @dragover.prevent="over = exhibit.id"
      @drop.prevent="drop(exhibit.id)"
      @dragend="dragged = over = null"
    >
      <span :id="`exhibit-${exhibit.number}`" />
      <ExhibitItem
        :exhibit="exhibit"
        :draft="draft"
        :hypotheses="hypotheses"
        :fixed="fixed"
        @remove="emit('remove', exhibit)"
        @move="move(exhibit.id, $event)"
        @lift="dragged = exhibit.id"
      />
    </div>
  </div>
</template>
