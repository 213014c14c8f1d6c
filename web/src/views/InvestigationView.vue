<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Exhibit, Fields } from '../api/client'
import {
  useCaseTimeline,
  useCopyInvestigation,
  useExhibits,
  useInvestigation,
  useKeepArchives,
  useRemoveExhibit,
  useRestoreExhibit,
} from '../api/investigations'
import { zoneName } from '../exhibits/pins'
import { usePinning } from '../exhibits/usePinning'
import BundlePane from '../investigations/BundlePane.vue'
import CaseAxis from '../investigations/CaseAxis.vue'
import ChangedAt from '../investigations/ChangedAt.vue'
import ClashNote from '../investigations/ClashNote.vue'
import ComplaintWindow from '../investigations/ComplaintWindow.vue'
import DraftText from '../investigations/DraftText.vue'
import ExhibitList from '../investigations/ExhibitList.vue'
import HypothesisList from '../investigations/HypothesisList.vue'
import ReportPane from '../investigations/ReportPane.vue'
import { hypothesesOf } from '../investigations/stances'
import TakeOver from '../investigations/TakeOver.vue'
import { useDraft } from '../investigations/useDraft'
import { PROMPTS } from '../investigations/words'
import { toMs } from '../model/instant'
import { useKeys } from '../replay/useKeys'
import { useSettings } from '../settings/useSettings'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { usePreferences, useZone } from '../usePreferences'
import { useTimes } from '../useTimes'

/** One investigation: the complaint and what may explain it on the left, the evidence on the right. */
const route = useRoute()
const router = useRouter()
const times = useTimes()
const zone = useZone()
const { toggleZone, toggleTheme } = usePreferences()
const { open: openSettings } = useSettings()
useKeys({ zone: toggleZone, theme: toggleTheme, settings: openSettings })
const pinning = usePinning()
const id = computed(() => String(route.params['id']))
const { data: kept, error } = useInvestigation(id)
const version = computed(() => kept.value?.version ?? 0)
const { data: exhibits } = useExhibits(id, version)
const { data: timeline } = useCaseTimeline(id, version)
const draft = useDraft(id, kept)
const fixed = computed(() => kept.value?.origin !== null)
const [keeping, removal, restoring, copying] = [
  useKeepArchives(id),
  useRemoveExhibit(),
  useRestoreExhibit(),
  useCopyInvestigation(),
]
const trouble = computed(
  () =>
    draft.trouble.value ||
    ([keeping, removal, restoring, copying].flatMap((write) => write.error.value?.message ?? [])[0] ?? ''),
)

/** As they are written: what waits to be kept is shown already. */
const fields = computed<Fields>(() => {
  const base = kept.value?.fields ?? {}
  const hypotheses = { ...base.hypotheses }
  for (const [path, value] of draft.waiting.value)
    if (path.startsWith('hypotheses/')) hypotheses[path.slice(11)] = value as never
  return { ...base, hypotheses }
})
const hypotheses = computed(() => hypothesesOf(fields.value))
/** In the order that is kept, or that waits to be kept: whichever answer of the server came last. */
const ordered = computed(() => {
  const order = (draft.value('order') as string[] | null) ?? []
  const places = new Map(order.map((key, at) => [key, at]))
  return [...(exhibits.value ?? [])]
    .sort((a, b) => (places.get(a.id) ?? order.length) - (places.get(b.id) ?? order.length))
    .map((item, at) => ({ ...item, number: at + 1 }))
})
const taken = ref<Exhibit | null>(null)
function remove(exhibit: Exhibit): void {
  removal.mutate(
    { investigation: id.value, exhibit: exhibit.id },
    { onSuccess: () => (taken.value = exhibit) },
  )
}
function bringBack(): void {
  const last = taken.value
  if (last)
    restoring.mutate({ investigation: id.value, exhibit: last.id }, { onSuccess: () => (taken.value = null) })
}
function copy(): void {
  copying.mutate(id.value, {
    onSuccess: (made) => void router.push({ name: 'investigation', params: { id: made.id } }),
  })
}
const TABS = ['exhibits', 'report', 'inside'] as const
type Tab = (typeof TABS)[number]
const tab = computed<Tab>(() => TABS.find((name) => name === route.query['tab']) ?? 'exhibits')
const titles = computed<Record<Tab, string>>(() => ({
  exhibits: `Exhibits ${ordered.value.length}`,
  report: 'Report',
  inside: 'What is inside',
}))
function show(name: Tab): void {
  void draft.flush()
  void router.replace({ query: name === 'exhibits' ? {} : { tab: name } })
}
</script>

<template>
  <div class="flex flex-col">
    <TopBar>
      <template #right>
        <span v-if="draft.saving.value || draft.waiting.value.size" role="status" data-saving>writing …</span>
        <span v-else-if="kept" role="status" data-kept>kept</span>
      </template>
    </TopBar>
    <StateNote v-if="error && !kept" title="The investigation cannot be shown" :hint="error.message" whole />
    <StateNote v-else-if="!kept" title="Loading the investigation" busy whole />
    <main
      v-else
      class="grid min-h-0 grow grid-cols-[330px_minmax(0,1fr)] grid-rows-[minmax(0,1fr)]"
      data-investigation-view
    >
      <div
        class="relative space-y-5 overflow-x-hidden overflow-y-auto border-r border-rule-strong bg-leaf px-5 py-4"
        tabindex="-1"
        role="region"
        aria-label="The complaint"
      >
        <header>
          <p class="text-2xs text-soft">opened {{ times.at(toMs(kept.created)) }}</p>
          <h1 class="sr-only">{{ draft.text('question') || 'An investigation without a question' }}</h1>
          <DraftText
            :draft="draft"
            path="question"
            label="The question"
            hint="What is the question?"
            :fixed="fixed"
            hidden
            big
          />
        </header>
        <p v-if="kept.origin" class="border-l-2 border-rule-strong pl-3 text-soft">
          From a bundle of {{ kept.origin.made.slice(0, 10)
          }}{{ kept.origin.anonymised ? ', with names replaced' : '' }}: it stays as it came.
          <button type="button" class="underline underline-offset-2 hover:text-needle" @click="copy">
            work on a copy
          </button>
        </p>
        <section class="space-y-1" aria-label="What was complained of">
          <template v-for="prompt in PROMPTS" :key="prompt.path">
            <DraftText
              :draft="draft"
              :path="prompt.path"
              :label="prompt.label"
              :hint="prompt.hint"
              :fixed="fixed"
            />
            <ComplaintWindow v-if="prompt.path === 'when'" :draft="draft" :fixed="fixed" />
            <ChangedAt v-if="prompt.path === 'changed'" :draft="draft" :fixed="fixed" />
          </template>
        </section>
        <HypothesisList :draft="draft" :hypotheses="hypotheses" :exhibits="ordered" :fixed="fixed" />
        <TakeOver
          v-if="timeline && !fixed"
          :id="id"
          :draft="draft"
          :timeline="timeline"
          :hypotheses="hypotheses"
          :zone="zoneName(zone)"
        />
        <CaseAxis v-if="timeline && ordered.length" :timeline="timeline" />
        <section class="space-y-1" aria-label="What came of it">
          <h2 class="font-serif font-semibold">What came of it</h2>
          <DraftText
            :draft="draft"
            path="answer"
            label="answer"
            hint="in one or two sentences"
            :fixed="fixed"
          />
          <DraftText :draft="draft" path="next" label="next" hint="what to do now" :fixed="fixed" />
        </section>
        <p v-if="!fixed" class="text-2xs text-soft">
          <label class="flex items-baseline gap-2">
            <input type="checkbox" :checked="kept.keeps" data-keeps @change="keeping.mutate(!kept.keeps)" />
            archives keep what the exhibits stand on, whatever their plan says
          </label>
        </p>
      </div>
      <div class="flex min-h-0 flex-col px-6 pt-4">
        <div
          class="flex items-baseline gap-5 border-b border-rule-strong pb-1"
          role="group"
          aria-label="What to look at"
        >
          <button
            v-for="name in TABS"
            :key="name"
            type="button"
            class="font-serif text-base italic hover:text-ink"
            :class="tab === name ? 'font-semibold text-ink' : 'text-soft'"
            :aria-pressed="tab === name"
            @click="show(name)"
          >
            {{ titles[name] }}
          </button>
          <p class="ml-auto text-2xs text-soft">
            <template v-if="tab === 'exhibits' && !fixed"
              >pinned with X anywhere · frozen, with their numbers · drag to order
              <button
                v-if="pinning.chosen !== id"
                type="button"
                class="ml-2 underline underline-offset-2 hover:text-needle"
                @click="pinning.chosen = id"
              >
                pin into this one
              </button>
              <span v-else class="ml-2" data-chosen>· X pins into this one</span>
            </template>
          </p>
        </div>
        <p v-if="trouble" class="pt-2 text-needle" role="alert">{{ trouble }}</p>
        <p v-if="taken" class="pt-2" role="status">
          “{{ taken.caption || taken.title }}” is no longer an exhibit.
          <button type="button" class="text-needle underline underline-offset-2" @click="bringBack">
            undo
          </button>
        </p>
        <ClashNote :draft="draft" />
        <ExhibitList
          v-if="tab === 'exhibits'"
          :exhibits="ordered"
          :draft="draft"
          :hypotheses="hypotheses"
          :fixed="fixed"
          @remove="remove"
        />
        <ReportPane
          v-else-if="tab === 'report'"
          :id="id"
          class="py-3"
          :draft="draft"
          :exhibits="ordered"
          :version="version"
          :fixed="fixed"
        />
        <BundlePane v-else :id="id" :version="version" />
      </div>
    </main>
  </div>
</template>
