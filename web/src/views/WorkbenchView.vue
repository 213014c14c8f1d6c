<script setup lang="ts">
import { useStorage, useWindowSize } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watchEffect } from 'vue'
import { RouterLink } from 'vue-router'
import FiguresSheet from '../figures/FiguresSheet.vue'
import { useFigures } from '../figures/useFigures'
import FindDialog from '../find/FindDialog.vue'
import SidePanel from '../findings/SidePanel.vue'
import { provideNames } from '../names/useNames'
import TransportBar from '../replay/TransportBar.vue'
import { useLive } from '../replay/useLive'
import { usePlayback } from '../replay/usePlayback'
import StrainMap from '../strainmap/StrainMap.vue'
import LayoutBar from '../strips/LayoutBar.vue'
import StripStack from '../strips/StripStack.vue'
import KeysDialog from '../ui/KeysDialog.vue'
import { amountChoices } from '../model/amounts'
import HintNote from '../settings/HintNote.vue'
import SkipLinks from '../ui/SkipLinks.vue'
import StateNote from '../ui/StateNote.vue'
import { showHostZone } from '../usePreferences'
import { useWorkbench } from '../useWorkbench'
import { provideSession } from '../workbench/session'
import PanelEdge from '../workbench/PanelEdge.vue'
import StateLine from '../workbench/StateLine.vue'
import { useArchiveId } from '../workbench/useArchiveId'
import { useFound } from '../workbench/useFound'
import { useWorkbenchKeys } from '../workbench/useWorkbenchKeys'
import WorkbenchHead from '../workbench/WorkbenchHead.vue'

/** One archive: the map of all of it, the strips of a window, the moment and the findings. */
const bench = useWorkbench()
const figures = useFigures()
const { id, problem } = useArchiveId()
provideNames(id)
const session = provideSession(id)
const { archive, error, isPending } = session
useLive(id, archive)
usePlayback()

const SKIPS = [
  { id: 'strips', label: 'Skip to the strips' },
  { id: 'panel', label: 'Skip to moment, use and findings' },
  { id: 'replay', label: 'Skip to the replay' },
]
// What the open host is, for the settings that depend on it.
watchEffect(() => {
  const { cores, timezone } = archive.value?.facts ?? {}
  amountChoices.cores = typeof cores === 'number' ? cores : null
  showHostZone(timezone)
})
onBeforeUnmount(() => {
  amountChoices.cores = null
  showHostZone(null)
})

const map = useStorage('reditus.map', true)
/** The side panel's width in pixels, once it was changed. */
const panel = useStorage<number | null>('reditus.panel', null, undefined, {
  serializer: { read: (text) => Number(text) || null, write: String },
})
const PANEL_LEAST = 280
/** So much is left to the strips at least. */
const STRIPS_LEAST = 420
const { width: pageWidth } = useWindowSize()
const panelMost = computed(() => Math.max(pageWidth.value - STRIPS_LEAST, PANEL_LEAST))
const panelWidth = computed(() =>
  panel.value === null
    ? 'clamp(300px, 23vw, 460px)'
    : `${Math.min(Math.max(panel.value, PANEL_LEAST), panelMost.value)}px`,
)
const find = ref(false)
const help = ref(false)
const found = useFound(session)
useWorkbenchKeys(session, { map, find, help })
</script>

<template>
  <div class="flex flex-col print:block">
    <SkipLinks v-if="bench.window" :targets="SKIPS" />
    <WorkbenchHead @find="find = true" />
    <StateNote
      v-if="problem || (error && !archive)"
      whole
      :title="problem ? 'No such archive' : (error?.title ?? '')"
      :hint="problem ?? error?.message"
    >
      <RouterLink :to="{ name: 'archives' }" class="underline hover:text-needle">All archives</RouterLink>
    </StateNote>
    <StateNote v-else-if="isPending" title="Opening the archive" busy whole />
    <StateNote
      v-else-if="!bench.window"
      whole
      title="Nothing in this archive yet"
      hint="The recorder has not sent any ticks. They appear here by themselves within a few seconds of the first."
    />
    <template v-else-if="archive">
      <StrainMap v-if="map" />
      <HintNote place="workbench" />
      <main
        class="grid min-h-0 grow print:block"
        :style="{ gridTemplateColumns: `minmax(0,1fr) auto ${panelWidth}` }"
      >
        <h1 class="sr-only">{{ archive.host.name }}, {{ archive.name }}</h1>
        <div class="flex min-h-0 flex-col print:block">
          <LayoutBar />
          <StateLine :archive="archive" />
          <StripStack id="strips" class="grow" :archive="archive" :with-lane="!map" />
        </div>
        <PanelEdge v-model="panel" class="print:hidden" :least="PANEL_LEAST" :most="panelMost" />
        <SidePanel id="panel" class="print:block print:break-before-page print:border-0" tabindex="-1" />
      </main>
      <TransportBar
        id="replay"
        class="print:hidden"
        tabindex="-1"
        :coverage="archive.coverage"
        @help="help = true"
      />
    </template>
    <FindDialog
      v-if="bench.extent"
      :open="find"
      @close="find = false"
      @choose="((find = false), found($event))"
    />
    <FiguresSheet
      v-if="figures.shown"
      :strips="figures.shown.strips"
      :title="figures.shown.title"
      @close="figures.close()"
    />
    <KeysDialog :open="help" @close="help = false" />
  </div>
</template>
