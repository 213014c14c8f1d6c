<script setup lang="ts">
import { Tab, TabGroup, TabList, TabPanel, TabPanels } from '@headlessui/vue'
import { computed } from 'vue'
import type { Diagnosis, Finding, Marker, Markers } from '../api/client'
import { useMeasures } from '../api/queries'
import type { Zone } from '../model/clock'
import NoteList from '../notes/NoteList.vue'
import type { Severity } from '../notes/markers'
import MomentPanel from '../moment/MomentPanel.vue'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import { stripsOfFinding } from './proof'
import FindingList from './FindingList.vue'
import RuledOutList from './RuledOutList.vue'

interface Props {
  archiveId: string
  diagnosis: Diagnosis | undefined
  pending: boolean
  marked: Markers | undefined
  severity: Severity
  zone: Zone
}
const props = defineProps<Props>()
const emit = defineEmits<{ find: [id: string]; note: [marker: Marker]; severity: [level: Severity] }>()

const bench = useWorkbench()
const tabs = computed(() => [
  { title: 'Moment', count: null },
  { title: 'Findings', count: props.diagnosis?.findings.length ?? null },
  { title: 'Ruled out', count: props.diagnosis?.ruled_out.length ?? null },
  { title: 'Notes', count: props.marked?.total ?? null },
])
const strips = useStrips()
const { data: measures } = useMeasures()
const prove = (finding: Finding): void => {
  strips.show(stripsOfFinding(finding, measures.value ?? []))
}
const find = (id: string): void => {
  emit('find', id)
}
</script>

<template>
  <TabGroup
    as="aside"
    class="flex min-h-0 flex-col border-l border-rule-strong bg-leaf"
    aria-label="The moment and the findings"
    :selected-index="bench.tab"
    @change="bench.tab = $event"
  >
    <TabList class="flex shrink-0 justify-between border-b border-rule px-4 pt-2">
      <Tab v-for="(tab, index) in tabs" :key="tab.title" as="template">
        <button
          type="button"
          class="-mb-px border-b-2 pb-1.5 whitespace-nowrap"
          :class="
            bench.tab === index
              ? 'border-needle font-semibold'
              : 'border-transparent text-soft hover:text-ink'
          "
        >
          {{ tab.title }}<span v-if="tab.count !== null" class="ml-0.5 text-2xs">&nbsp;{{ tab.count }}</span>
        </button>
      </Tab>
    </TabList>
    <TabPanels class="min-h-0 grow overflow-y-auto px-4 pt-3 contain-strict">
      <TabPanel><MomentPanel :archive-id="archiveId" :zone="zone" /></TabPanel>
      <TabPanel>
        <FindingList
          :archive-id="archiveId"
          :findings="diagnosis?.findings ?? []"
          :selected="bench.selected"
          :zone="zone"
          :pending="pending"
          @find="find"
          @prove="prove"
        />
      </TabPanel>
      <TabPanel>
        <RuledOutList
          :ruled-out="diagnosis?.ruled_out ?? []"
          :selected="bench.selected"
          :zone="zone"
          @find="find"
        />
      </TabPanel>
      <TabPanel>
        <NoteList
          :archive-id="archiveId"
          :marked="marked"
          :severity="severity"
          :zone="zone"
          @severity="emit('severity', $event)"
          @find="emit('note', $event)"
        />
      </TabPanel>
    </TabPanels>
  </TabGroup>
</template>
