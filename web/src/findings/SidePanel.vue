<script setup lang="ts">
import { useSession } from '../workbench/session'
import { Tab, TabGroup, TabList, TabPanel, TabPanels } from '@headlessui/vue'
import { computed, watch } from 'vue'
import type { Finding } from '../api/client'
import { toMs } from '../model/instant'
import { TABS } from '../workbench/useMoves'
import NoteList from '../notes/NoteList.vue'
import MomentPanel from '../moment/MomentPanel.vue'
import UsePanel from '../use/UsePanel.vue'
import { useWorkbench } from '../useWorkbench'
import { nameOfFinding } from './chain'
import FindingList from './FindingList.vue'
import NotJudged from './NotJudged.vue'
import RuledOutList from './RuledOutList.vue'

/** The moment at the needle, who used what, the findings, what was ruled out, and the notes. */
const bench = useWorkbench()
const { window, judgement } = useSession()
const { diagnosis } = judgement
// What was found is shown first, unless a moment is looked at already.
watch(
  () => judgement.findings.value.length > 0,
  (some) => {
    if (some && bench.needle === null && bench.tab === TABS.moment) bench.tab = TABS.findings
  },
  { immediate: true },
)
/** The finding that a link names, at the needle if it came more than once. */
const linked = computed(() => {
  const alike = judgement.findings.value.filter((finding) => nameOfFinding(finding) === bench.finding)
  const { needle } = bench
  const isThere = (finding: Finding): boolean =>
    needle !== null && toMs(finding.start) <= needle && needle <= toMs(finding.end)
  return alike.find(isThere) ?? alike[0] ?? null
})
watch(
  linked,
  (finding) => {
    if (!finding || bench.selected !== null) return
    bench.selected = finding.id
    bench.tab = TABS.findings
  },
  { immediate: true },
)
watch([linked, diagnosis], () => {
  if (bench.finding === null || !diagnosis.value || linked.value || bench.selected !== null) return
  bench.linkProblem = `there is no finding ${bench.finding} here`
  bench.finding = null
})
watch(
  () => bench.selected,
  (id) => {
    const finding = judgement.findings.value.find((item) => item.id === id)
    bench.finding = finding ? nameOfFinding(finding) : null
  },
)
// Until a tab is chosen, a moment that is pointed at is read; a finding that was gone to stays in view.
let isChosen = false
watch(
  () => bench.needle,
  (needle) => {
    if (!isChosen && needle !== null && bench.selected === null && bench.tab === TABS.findings)
      bench.tab = TABS.moment
  },
)
function choose(tab: number): void {
  isChosen = true
  bench.tab = tab
}
const tabs = computed(() => [
  { title: 'Moment', count: null },
  { title: 'Use', count: null },
  { title: 'Findings', count: diagnosis.value?.findings.length ?? null },
  { title: 'Ruled out', count: diagnosis.value?.ruled_out.length ?? null },
  { title: 'Notes', count: window.markers.value?.total ?? null },
])
</script>

<template>
  <TabGroup
    as="aside"
    class="flex min-h-0 flex-col border-l border-rule-strong bg-leaf"
    aria-label="The moment and the findings"
    :selected-index="bench.tab"
    @change="choose"
  >
    <TabList class="flex shrink-0 justify-between gap-1.5 border-b border-rule px-3 pt-2">
      <Tab v-for="(tab, index) in tabs" :key="tab.title" as="template">
        <button
          type="button"
          class="-mb-px border-b-2 pb-1.5 text-xs whitespace-nowrap"
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
    <TabPanels
      class="min-h-0 grow overflow-y-auto px-4 pt-3 contain-strict print:overflow-visible print:contain-none"
    >
      <TabPanel><MomentPanel /></TabPanel>
      <TabPanel><UsePanel /></TabPanel>
      <TabPanel><FindingList /><NotJudged /></TabPanel>
      <TabPanel><RuledOutList /></TabPanel>
      <TabPanel><NoteList /></TabPanel>
    </TabPanels>
  </TabGroup>
</template>
