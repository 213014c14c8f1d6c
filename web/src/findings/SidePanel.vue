<script setup lang="ts">
import { Tab, TabGroup, TabList, TabPanel, TabPanels } from '@headlessui/vue'
import { computed } from 'vue'
import type { Diagnosis } from '../api/client'
import type { Zone } from '../model/clock'
import MomentPanel from '../moment/MomentPanel.vue'
import { useWorkbench } from '../useWorkbench'
import FindingList from './FindingList.vue'
import RuledOutList from './RuledOutList.vue'

interface Props {
  archiveId: string
  diagnosis: Diagnosis | undefined
  pending: boolean
  zone: Zone
}
const props = defineProps<Props>()
const emit = defineEmits<{ find: [id: string] }>()

const bench = useWorkbench()
const tabs = computed(() => [
  { title: 'Moment', count: null },
  { title: 'Findings', count: props.diagnosis?.findings.length ?? null },
  { title: 'Ruled out', count: props.diagnosis?.ruled_out.length ?? null },
])
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
    <TabList class="flex shrink-0 gap-6 border-b border-rule px-4 pt-2">
      <Tab v-for="(tab, index) in tabs" :key="tab.title" as="template">
        <button
          type="button"
          class="-mb-px border-b-2 pb-1.5"
          :class="
            bench.tab === index
              ? 'border-needle font-semibold'
              : 'border-transparent text-soft hover:text-ink'
          "
        >
          {{ tab.count === null ? tab.title : `${tab.title} ${tab.count}` }}
        </button>
      </Tab>
    </TabList>
    <TabPanels class="min-h-0 grow overflow-y-auto px-4 pt-3">
      <TabPanel><MomentPanel :archive-id="archiveId" :zone="zone" /></TabPanel>
      <TabPanel>
        <FindingList
          :findings="diagnosis?.findings ?? []"
          :selected="bench.selected"
          :zone="zone"
          :pending="pending"
          @find="find"
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
    </TabPanels>
  </TabGroup>
</template>
