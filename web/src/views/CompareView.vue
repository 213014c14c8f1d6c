<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { RouterLink, useRoute, useRouter } from 'vue-router'
import { useArchive, useArchives, useComparison, useFindingChanges } from '../api/queries'
import type { Difference, Pin } from '../api/client'
import DifferenceTable from '../comparison/DifferenceTable.vue'
import OverTime from '../comparison/OverTime.vue'
import { comparable, referencesOf, usualReference } from '../comparison/references'
import PinButton from '../exhibits/PinButton.vue'
import { placeOf, zoneName } from '../exhibits/pins'
import { spellAmount } from '../model/amounts'
import { spellDuration, spellWindow } from '../model/clock'
import { toInstant, toMsOrNull } from '../model/instant'
import { parsePlace } from '../model/link'
import { spellCount } from '../model/numbers'
import type { Span } from '../model/span'
import PlainTable from '../ui/PlainTable.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { useZone } from '../usePreferences'

/** What is different between a window and a reference: a sentence first, then what differs, ranked. */
const route = useRoute()
const router = useRouter()
const zone = useZone()
const id = computed(() => String(route.params['id']))
const { data: archive } = useArchive(id)
const { data: archives } = useArchives()
const textOf = (name: string): string | null => {
  const text = route.query[name]
  return typeof text === 'string' ? text : null
}
const withId = computed(() => textOf('with') ?? id.value)
const { data: other } = useArchive(withId)
const extentOf = (item: typeof archive.value): Span | null => {
  const [start, end] = [toMsOrNull(item?.start ?? null), toMsOrNull(item?.end ?? null)]
  return start !== null && end !== null && start < end ? { start, end } : null
}
const extent = computed(() => extentOf(archive.value))
const window = computed<Span | null>(() => {
  const named = parsePlace(route.query).window
  if (!extent.value) return null
  return named ?? comparable(extent.value, extent.value)
})
const isOther = computed(() => withId.value !== id.value)
const reference = computed<Span | null>(() => {
  const named = parsePlace({ from: route.query['with_from'], to: route.query['with_to'] }).window
  if (named) return named
  if (isOther.value) return extentOf(other.value)
  return window.value && extent.value ? (usualReference(window.value, extent.value)?.span ?? null) : null
})
const problem = computed(() => {
  if (!window.value || reference.value) return null
  return isOther.value && !other.value
    ? null
    : 'Before and after this window nothing was recorded. Choose another archive, or a shorter window in the workbench.'
})
const choices = computed(() => (window.value && extent.value ? referencesOf(window.value, extent.value) : []))
const chosenReference = computed(() => {
  if (isOther.value) return `archive ${withId.value}`
  return (
    choices.value.find(
      ({ span }) => span.start === reference.value?.start && span.end === reference.value.end,
    )?.id ?? 'own'
  )
})
function go(query: Record<string, string | undefined>): void {
  void router.replace({
    query: Object.fromEntries(
      Object.entries({ ...route.query, ...query }).filter(([, value]) => value !== undefined),
    ),
  })
}
function refer(event: Event): void {
  if (!(event.target instanceof HTMLSelectElement)) return
  const { value } = event.target
  const span = choices.value.find((item) => item.id === value)?.span
  if (span) go({ with: undefined, with_from: toInstant(span.start), with_to: toInstant(span.end) })
  else if (value.startsWith('archive '))
    go({ with: value.slice(8), with_from: undefined, with_to: undefined })
}

const { data: comparison, error, isFetching } = useComparison(id, window, withId, reference)
const { data: findings } = useFindingChanges(id, window, withId, reference)
const chosen = ref<string | null>(null)
const rows = computed(() => [...(comparison.value?.differences ?? []), ...(comparison.value?.alike ?? [])])
const item = computed(
  () =>
    rows.value.find((row) => `${row.measure}@${row.device ?? ''}` === chosen.value) ?? rows.value[0] ?? null,
)
function pinOf(row: Difference): Pin | null {
  const [own, its] = [window.value, reference.value]
  if (!own || !its) return null
  const place = { archive: id.value, window: own, zone: zoneName(zone.value), view: route.fullPath }
  return {
    kind: 'difference',
    ...placeOf(place),
    measure: row.measure,
    device: row.device,
    reference: withId.value,
    reference_start: toInstant(its.start),
    reference_end: toInstant(its.end),
  }
}
const TABS = ['differences', 'processes', 'findings', 'alike'] as const
type Tab = (typeof TABS)[number]
const tab = ref<Tab>('differences')
watch(comparison, () => {
  chosen.value = null
})
const titles = computed<Record<Tab, string>>(() => ({
  differences: `Differences ${comparison.value?.differences.length ?? ''}`,
  processes: `Processes ${comparison.value?.programs?.length ?? ''}`,
  findings: `Findings ${findings.value?.length ?? ''}`,
  alike: 'Alike',
}))
const programRows = computed(() =>
  (comparison.value?.programs ?? []).map(({ name, what, window: own, reference: before }) => ({
    key: name,
    cells: [
      name,
      what,
      spellAmount(before.cores, 'cores'),
      spellAmount(own.cores, 'cores'),
      spellAmount(before.memory_bytes, 'bytes'),
      spellAmount(own.memory_bytes, 'bytes'),
      spellAmount(before.read_bytes_per_s + before.written_bytes_per_s, 'bytes/s'),
      spellAmount(own.read_bytes_per_s + own.written_bytes_per_s, 'bytes/s'),
    ],
  })),
)
const findingRows = computed(() =>
  (findings.value ?? []).map(({ what, kind, title, device, window_s: own, reference_s: before }) => ({
    key: `${kind} ${device ?? ''}`,
    cells: [
      device ? `${title}, ${device}` : title,
      what,
      before ? spellDuration(before) : 'none',
      own ? spellDuration(own) : 'none',
    ],
  })),
)
const spelled = (span: Span): string => spellWindow(span.start, span.end, zone.value)
const between = computed(() => {
  const found = comparison.value
  if (!found) return []
  return [...found.changes, ...found.unmatched, ...found.gaps]
})
const others = computed(() =>
  (archives.value ?? []).filter((one) => one.id !== id.value && one.start !== null),
)
</script>

<template>
  <div class="flex flex-col">
    <TopBar>
      <div v-if="archive" class="flex min-w-0 items-baseline gap-3 whitespace-nowrap">
        <RouterLink
          class="truncate hover:text-needle"
          :to="{
            name: 'workbench',
            params: { id },
            query: window ? { from: toInstant(window.start), to: toInstant(window.end) } : {},
          }"
          title="Back to the strips"
          ><b class="font-semibold">{{ archive.host.name }}</b> ▸ {{ archive.name }}</RouterLink
        >
      </div>
      <template #right>
        <span v-if="window" class="text-ink">{{ spelled(window) }}</span>
        <label class="flex items-baseline gap-2">
          against
          <select
            :value="chosenReference"
            aria-label="Reference"
            class="max-w-72 border-b border-dashed border-soft bg-leaf py-0.5 text-ink"
            @change="refer"
          >
            <option v-for="choice in choices" :key="choice.id" :value="choice.id">
              {{ choice.label }}, {{ spelled(choice.span) }}
            </option>
            <option v-if="chosenReference === 'own' && reference" value="own">
              {{ spelled(reference) }}
            </option>
            <option v-for="one in others" :key="one.id" :value="`archive ${one.id}`">
              {{ one.host.name }} ▸ {{ one.name }}
            </option>
          </select>
        </label>
      </template>
    </TopBar>
    <main class="relative grow overflow-y-auto" tabindex="-1" data-compare>
      <div class="px-6 pt-4 pb-6">
        <div class="flex gap-6">
          <div class="grow">
            <h1 class="font-serif text-[26px] font-semibold">What is different</h1>
            <StateNote v-if="problem" title="There is nothing to compare with" :hint="problem" />
            <StateNote
              v-else-if="error && !comparison"
              title="The two cannot be compared"
              :hint="error.message"
            />
            <StateNote v-else-if="!comparison" title="Comparing every measure of both" busy />
            <template v-else>
              <p class="max-w-3xl text-[15px]" data-sentence>{{ comparison.sentence }}</p>
              <p v-for="reason in comparison.because" :key="reason" class="max-w-3xl text-soft">
                {{ reason }}
              </p>
            </template>
          </div>
          <aside
            v-if="comparison"
            class="w-72 shrink-0 border-l border-rule-strong pl-5"
            aria-label="Between the two"
          >
            <h2 class="font-serif font-semibold">Between the two</h2>
            <ul class="max-h-24 overflow-y-auto text-2xs" tabindex="0">
              <li v-for="line in between" :key="line">{{ line }}</li>
              <li v-if="!between.length" class="text-soft">
                no change of kernel, memory, disks, interfaces, mounts or limits is known
              </li>
            </ul>
          </aside>
        </div>
        <template v-if="comparison">
          <div class="mt-3 flex items-baseline gap-5 border-b border-rule-strong pb-1">
            <div class="flex items-baseline gap-5" role="group" aria-label="What to look at">
              <button
                v-for="name in TABS"
                :key="name"
                type="button"
                class="font-serif text-base italic hover:text-ink"
                :class="tab === name ? 'font-semibold text-ink' : 'text-soft'"
                :aria-pressed="tab === name"
                @click="tab = name"
              >
                {{ titles[name] }}
              </button>
            </div>
            <PinButton
              v-if="item && (tab === 'differences' || tab === 'alike')"
              label="Pin the chosen row as an exhibit"
              :what="() => (item ? pinOf(item) : null)"
            />
            <p class="ml-auto text-2xs text-soft" role="status">
              <template v-if="isFetching">comparing …</template>
              <template v-else
                >ranked by effect, weighed by what it means for work ·
                {{ spellCount(comparison.compared) }} compared,
                {{ spellCount(comparison.differences.length) }} beyond chance · means of
                {{ spellDuration(comparison.window.bin_s) }}</template
              >
            </p>
          </div>
          <DifferenceTable
            v-if="tab === 'differences' && comparison.differences.length"
            :rows="comparison.differences"
            :pin-of="pinOf"
            caption="What differs beyond chance, the most telling first"
            :chosen="item ? `${item.measure}@${item.device ?? ''}` : null"
            @choose="chosen = $event"
          />
          <p v-else-if="tab === 'differences'" class="py-6 text-soft">
            Nothing differs beyond chance. What comes nearest stands under <i>Alike</i>.
          </p>
          <DifferenceTable
            v-if="tab === 'alike'"
            :rows="comparison.alike"
            :pin-of="pinOf"
            caption="What may be chance, or is too small to matter"
            :chosen="item ? `${item.measure}@${item.device ?? ''}` : null"
            @choose="chosen = $event"
          />
          <p v-if="tab === 'processes' && !programRows.length" class="py-6 text-soft">
            {{
              comparison.programs
                ? 'No program used more or less than is worth a word.'
                : 'One of the two holds no processes.'
            }}
          </p>
          <PlainTable
            v-else-if="tab === 'processes'"
            caption="Programs that are new, gone, heavier or lighter"
            :columns="[
              { title: 'program', left: true },
              { title: 'what', left: true },
              { title: 'cores before' },
              { title: 'cores' },
              { title: 'memory before' },
              { title: 'memory' },
              { title: 'I/O before' },
              { title: 'I/O' },
            ]"
            :rows="programRows"
          />
          <p v-if="tab === 'findings' && !findingRows.length" class="py-6 text-soft">
            {{ findings ? 'The same findings on both sides, or none.' : 'judging both …' }}
          </p>
          <PlainTable
            v-else-if="tab === 'findings'"
            caption="Findings that are new, gone, longer or shorter"
            :columns="[
              { title: 'finding', left: true },
              { title: 'what', left: true },
              { title: 'reference' },
              { title: 'window' },
            ]"
            :rows="findingRows"
          />
        </template>
      </div>
    </main>
    <OverTime
      v-if="comparison && item && (tab === 'differences' || tab === 'alike')"
      :key="`${comparison.window.start} ${comparison.reference.archive} ${comparison.reference.start}`"
      :comparison="comparison"
      :item="item"
    />
  </div>
</template>
