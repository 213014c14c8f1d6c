<script setup lang="ts">
import { computed, ref } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import type { Investigation } from '../api/client'
import {
  useDeleteInvestigation,
  useInvestigations,
  useOpenInvestigation,
  useRestoreInvestigation,
} from '../api/investigations'
import { usePinning } from '../exhibits/usePinning'
import OpenBundle from '../investigations/OpenBundle.vue'
import { hypothesesOf } from '../investigations/stances'
import { toMs } from '../model/instant'
import { useKeys } from '../replay/useKeys'
import { useSettings } from '../settings/useSettings'
import PillButton from '../ui/PillButton.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { usePreferences } from '../usePreferences'
import { useTimes } from '../useTimes'

/** All investigations: the questions that are worked on, and what came of them. */
const { data: every, error, isPending } = useInvestigations()
const { toggleZone, toggleTheme } = usePreferences()
const { open: openSettings } = useSettings()
useKeys({ zone: toggleZone, theme: toggleTheme, settings: openSettings })
const times = useTimes()
const router = useRouter()
const pinning = usePinning()
const [opened, deletion, restoring] = [
  useOpenInvestigation(),
  useDeleteInvestigation(),
  useRestoreInvestigation(),
]
const question = ref('')
const trouble = computed(
  () => [opened, deletion, restoring].flatMap((write) => write.error.value?.message ?? [])[0] ?? '',
)
const gone = ref<Investigation | null>(null)
async function begin(): Promise<void> {
  const id = crypto.randomUUID()
  const text = question.value.trim()
  await opened.mutateAsync({ id, fields: { question: text } }).catch(() => undefined)
  if (!opened.isSuccess.value) return
  pinning.chosen = id
  await router.push({ name: 'investigation', params: { id } })
}
function remove(item: Investigation): void {
  deletion.mutate(item.id, { onSuccess: () => (gone.value = item) })
}
function restore(): void {
  const last = gone.value
  if (last) restoring.mutate(last.id, { onSuccess: () => (gone.value = null) })
}
function answerOf({ fields }: Investigation): string {
  if (fields.answer) return fields.answer
  const supported = hypothesesOf(fields).find(([, item]) => item.state === 'supported')
  return supported ? supported[1].text : ''
}
</script>

<template>
  <div class="flex flex-col">
    <TopBar />
    <main class="relative grow overflow-y-auto">
      <div class="mx-auto w-full max-w-5xl px-6 pt-8 pb-12">
        <div class="flex items-baseline justify-between gap-4">
          <h1 class="font-serif text-3xl font-semibold">Investigations</h1>
          <OpenBundle />
        </div>
        <p class="mt-1 text-soft">
          From a complaint to proof that another person can check. Pin what is on screen with X, anywhere.
        </p>
        <form class="mt-5 flex items-end gap-3" @submit.prevent="begin">
          <label class="grow">
            <span class="text-2xs text-soft">What is the complaint?</span>
            <input
              v-model="question"
              class="block w-full border-b border-rule-strong bg-transparent py-0.5 font-serif text-lg"
              maxlength="4000"
              placeholder="Why did … stop answering on Friday morning?"
              data-question
            />
          </label>
          <PillButton label="Begin an investigation" :disabled="!question.trim()" @press="begin"
            >Begin</PillButton
          >
        </form>
        <p v-if="trouble" class="mt-2 text-needle" role="alert">{{ trouble }}</p>
        <p v-if="gone" class="mt-3" role="status">
          “{{ gone.fields.question || 'Without a question' }}” is deleted; for a month it can come back.
          <button type="button" class="text-needle underline underline-offset-2" @click="restore">
            undo
          </button>
        </p>
        <StateNote v-if="isPending" title="Loading investigations" busy />
        <StateNote
          v-else-if="error && !every"
          title="The investigations cannot be listed"
          :hint="error.message"
        />
        <StateNote
          v-else-if="!every?.length"
          title="No investigation yet"
          hint="Write the question above, or open a bundle that was sent to you."
        />
        <ol v-else class="mt-4" aria-label="Investigations, the one that was changed last first">
          <li
            v-for="item in every"
            :key="item.id"
            class="grid grid-cols-[1fr_auto] gap-x-4 border-b border-rule py-3"
            data-investigation
          >
            <RouterLink
              :to="{ name: 'investigation', params: { id: item.id } }"
              class="font-serif text-lg font-semibold [overflow-wrap:anywhere] hover:text-needle"
              >{{ item.fields.question || 'Without a question' }}</RouterLink
            >
            <span class="text-right text-2xs text-soft">
              {{ item.exhibits }} exhibits · {{ hypothesesOf(item.fields).length }} hypotheses<br />
              changed {{ times.at(toMs(item.changed)) }}
            </span>
            <p class="max-w-[80ch] text-soft">
              <template v-if="item.origin"
                >from a bundle{{ item.origin.anonymised ? ', names replaced' : '' }} ·
              </template>
              <template v-if="answerOf(item)">{{ answerOf(item) }}</template>
              <i v-else>still open</i>
            </p>
            <span class="text-right">
              <button
                type="button"
                class="text-2xs text-soft underline underline-offset-2 hover:text-needle"
                :aria-label="`Delete ${item.fields.question || 'the investigation without a question'}`"
                @click="remove(item)"
              >
                delete
              </button>
            </span>
          </li>
        </ol>
      </div>
    </main>
  </div>
</template>
