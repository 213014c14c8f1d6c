<script setup lang="ts">
import type { Finding } from '../api/client'
import PillButton from '../ui/PillButton.vue'
import { useWorkbench } from '../useWorkbench'
import ArchiveLine from './ArchiveLine.vue'
import PaceChoice from './PaceChoice.vue'

interface Props {
  findings: Finding[]
  coverage: number
  live: boolean
}
defineProps<Props>()
defineEmits<{ step: [ticks: number]; jump: [by: number]; help: [] }>()

const bench = useWorkbench()
</script>

<template>
  <footer class="flex h-12 shrink-0 items-center gap-2.5 border-t border-rule-strong bg-leaf px-[18px]">
    <PillButton label="Previous finding" keys="P" :disabled="!findings.length" @press="$emit('jump', -1)"
      >◂ finding</PillButton
    >
    <PillButton label="Step one tick back" keys="ArrowLeft" @press="$emit('step', -1)">◂ step</PillButton>
    <PillButton
      :label="bench.playing ? 'Pause' : 'Play'"
      keys="Space"
      :on="bench.playing"
      class="w-16"
      @press="bench.play(!bench.playing)"
      >{{ bench.playing ? 'Pause' : 'Play' }}</PillButton
    >
    <PaceChoice :pace="bench.pace" @choose="bench.pace = $event" />
    <PillButton label="Step one tick on" keys="ArrowRight" @press="$emit('step', 1)">step ▸</PillButton>
    <PillButton label="Next finding" keys="N" :disabled="!findings.length" @press="$emit('jump', 1)"
      >finding ▸</PillButton
    >
    <ArchiveLine
      v-if="bench.extent && bench.window"
      class="mx-3 min-w-24 grow"
      :extent="bench.extent"
      :window="bench.window"
      :needle="bench.needle"
      :findings="findings"
      @look="bench.slide($event)"
      @point="bench.point($event)"
    />
    <p class="text-soft" title="Share of the archive for which there are ticks">
      coverage {{ (coverage * 100).toFixed(1) }} %
    </p>
    <PillButton
      v-if="live"
      label="Follow live"
      keys="L"
      :on="bench.following"
      @press="bench.follow(!bench.following)"
      >Follow live</PillButton
    >
    <PillButton label="All keys" keys="?" @press="$emit('help')">?</PillButton>
  </footer>
</template>
