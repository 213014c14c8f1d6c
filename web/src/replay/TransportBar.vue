<script setup lang="ts">
import { useSession } from '../workbench/session'
import { spellFixed } from '../model/numbers'
import PillButton from '../ui/PillButton.vue'
import { useWorkbench } from '../useWorkbench'
import ArchiveLine from './ArchiveLine.vue'
import PaceChoice from './PaceChoice.vue'

defineProps<{ coverage: number }>()
defineEmits<{ help: [] }>()

const bench = useWorkbench()
const { isLive, judgement, moves } = useSession()
const { findings, gapSpans } = judgement
</script>

<template>
  <footer class="flex h-12 shrink-0 items-center gap-2.5 border-t border-rule-strong bg-leaf px-[18px]">
    <PillButton label="Previous finding" keys="P" :disabled="!findings.length" @press="moves.jump(-1)"
      >◂ finding</PillButton
    >
    <PillButton label="Step one tick back" keys="ArrowLeft" @press="moves.step(-1)">◂ step</PillButton>
    <PillButton
      :label="bench.playing ? 'Pause' : 'Play'"
      keys="Space"
      :on="bench.playing"
      class="w-16"
      @press="bench.play(!bench.playing)"
      >{{ bench.playing ? 'Pause' : 'Play' }}</PillButton
    >
    <PaceChoice :pace="bench.pace" @choose="bench.pace = $event" />
    <PillButton label="Step one tick on" keys="ArrowRight" @press="moves.step(1)">step ▸</PillButton>
    <PillButton label="Next finding" keys="N" :disabled="!findings.length" @press="moves.jump(1)"
      >finding ▸</PillButton
    >
    <PillButton v-if="gapSpans?.length" label="Next gap" keys="G" @press="moves.jumpGap(1)">gap ▸</PillButton>
    <PillButton
      label="loop: the window over and over"
      keys="O"
      :on="bench.looping"
      @press="bench.loop(!bench.looping)"
      >loop</PillButton
    >
    <PillButton
      label="Mark the needle’s place: figures since then"
      keys="K"
      :on="bench.mark !== null"
      :disabled="!bench.hasNeedle"
      @press="bench.toggleMark()"
      >mark</PillButton
    >
    <ArchiveLine
      v-if="bench.extent && bench.window"
      class="mx-2 min-w-12 grow"
      :extent="bench.extent"
      :window="bench.window"
      :findings="findings"
      @look="bench.slide($event)"
      @point="bench.point($event)"
    />
    <p class="text-soft max-[1180px]:hidden" title="Share of the archive for which there are ticks">
      coverage {{ spellFixed(coverage * 100, 1) }} %
    </p>
    <PillButton
      v-if="isLive"
      label="Follow live"
      keys="L"
      :on="bench.following"
      @press="bench.follow(!bench.following)"
      >Follow live</PillButton
    >
    <PillButton label="All keys" keys="?" @press="$emit('help')">?</PillButton>
  </footer>
</template>
