<script setup lang="ts">
import { computed } from 'vue'
import { scaleFor, spellAmount } from '../model/amounts'
import { spellDuration } from '../model/clock'
import HostFacts from '../names/HostFacts.vue'
import KeyCap from '../ui/KeyCap.vue'
import TopBar from '../ui/TopBar.vue'
import CompareMenu from '../comparison/CompareMenu.vue'
import { useSession } from './session'
import WindowMenu from './WindowMenu.vue'

/** Which host and archive, which window, and the way to everything else. */
defineEmits<{ find: [] }>()

const { archive } = useSession()
const about = computed(() => {
  if (!archive.value) return ''
  const { facts, interval_s: interval, source } = archive.value
  const { cores, memory_bytes: memory } = facts
  return [
    typeof cores === 'number' ? `${cores} cores` : null,
    typeof memory === 'number'
      ? spellAmount(memory, 'bytes', { ...scaleFor('bytes', memory), digits: 0 })
      : null,
    interval === null ? null : `recorded every ${spellDuration(interval)}`,
    source === 'simulated' ? 'simulated' : null,
  ]
    .filter(Boolean)
    .join(' · ')
})
</script>

<template>
  <TopBar>
    <div v-if="archive" class="flex min-w-0 items-baseline whitespace-nowrap">
      <span class="truncate" :title="`${archive.host.name} ▸ ${archive.name}`"
        ><b class="font-semibold">{{ archive.host.name }}</b> ▸ {{ archive.name }}</span
      >
      <HostFacts :about="about" class="max-[1180px]:hidden" />
    </div>
    <template #right>
      <WindowMenu />
      <CompareMenu v-if="archive" />
      <button
        type="button"
        class="whitespace-nowrap hover:text-ink print:hidden"
        aria-keyshortcuts="/"
        title="Find a measure, a time, a layout, a process (/)"
        data-find
        @click="$emit('find')"
      >
        <span class="max-[1180px]:sr-only">Find a measure, a time</span> <KeyCap name="/" />
      </button>
    </template>
  </TopBar>
</template>
