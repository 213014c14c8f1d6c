<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { isAtWork, type ImportItem } from '../api/imports'
import { spellAmount } from '../model/amounts'
import { toMs } from '../model/instant'
import { spellFixed } from '../model/numbers'
import { useTimes } from '../useTimes'
import TableReading from './TableReading.vue'
import type { Upload } from './useUploads'

/** A file on its way into an archive, with what can be done about it. */
const props = defineProps<{ item: ImportItem; upload: Upload | null }>()
const emit = defineEmits<{ cancel: []; remove: [] }>()
const times = useTimes()
const sent = computed(() => props.upload?.sent ?? props.item.received_bytes)
const share = computed(() => {
  const { state, done, total, size_bytes: size } = props.item
  if (state === 'receiving') return sent.value / size
  return isAtWork(props.item) && total ? done / total : null
})
const says = computed(() => {
  const { state, done, total, ticks } = props.item
  switch (state) {
    case 'receiving':
      return props.upload
        ? `sending, ${spellAmount(sent.value, 'bytes')} of ${spellAmount(props.item.size_bytes, 'bytes')}`
        : `broken off at ${spellAmount(sent.value, 'bytes')}; choose the file again, and it goes on there`
    case 'received':
      return 'is here; say how it is to be read'
    case 'queued':
      return 'waits for the one before it'
    case 'reading':
      return done ? `reading, ${spellFixed(done, 0)} rows or ticks` : 'reading'
    case 'storing':
      return total ? `storing, ${spellFixed(done, 0)} of ${spellFixed(total, 0)} ticks` : 'storing'
    case 'done':
      return `${spellFixed(ticks, 0)} ticks`
    default:
      return state
  }
})
const isOpen = computed(() => props.item.state === 'received' || props.item.state === 'failed')
</script>

<template>
  <li class="border-b border-rule py-3" :data-import="item.state">
    <div class="flex items-baseline gap-3">
      <RouterLink
        v-if="item.archive"
        :to="{ name: 'workbench', params: { id: item.archive } }"
        class="font-serif text-lg font-semibold [overflow-wrap:anywhere] hover:text-needle"
        >{{ item.name }}</RouterLink
      >
      <span v-else class="font-serif text-lg font-semibold [overflow-wrap:anywhere]">{{ item.name }}</span>
      <span class="text-soft" role="status">{{ says }}</span>
      <span class="ml-auto text-2xs text-soft">{{ times.at(toMs(item.created)) }}</span>
      <button
        v-if="isAtWork(item) || item.state === 'receiving'"
        type="button"
        class="text-2xs text-soft underline underline-offset-2 hover:text-needle"
        :aria-label="`cancel ${item.name}`"
        @click="emit('cancel')"
      >
        cancel
      </button>
      <button
        v-else
        type="button"
        class="text-2xs text-soft underline underline-offset-2 hover:text-needle"
        :aria-label="`remove ${item.name}`"
        :title="item.archive ? 'Removes this line; the archive stays' : 'Removes the file'"
        @click="emit('remove')"
      >
        remove
      </button>
    </div>
    <div
      v-if="share !== null"
      class="mt-1 h-1 bg-rule"
      role="progressbar"
      :aria-label="`${item.name}, ${item.state}`"
      :aria-valuenow="Math.round(share * 100)"
      aria-valuemin="0"
      aria-valuemax="100"
    >
      <div class="h-1 bg-ink" :style="{ width: `${share * 100}%` }" />
    </div>
    <p v-if="upload?.trouble" class="mt-1 max-w-[90ch] text-needle" role="alert">{{ upload.trouble }}</p>
    <p v-if="item.problem" class="mt-1 max-w-[90ch] text-needle" role="alert">{{ item.problem }}</p>
    <ul v-if="item.remarks.length" class="mt-1 list-disc pl-5 text-soft">
      <li v-for="remark in item.remarks" :key="remark">{{ remark }}</li>
    </ul>
    <TableReading v-if="isOpen" class="mt-3" :item="item" />
  </li>
</template>
