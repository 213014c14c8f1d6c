<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref, toRef } from 'vue'
import type { Exhibit } from '../api/client'
import { fetchReport, usePreview, type ReportKind } from '../api/reports'
import PillButton from '../ui/PillButton.vue'
import StateNote from '../ui/StateNote.vue'
import type { Draft } from './useDraft'
import { useMaking } from './useMaking'

/** The report: written on the left in Markdown, and as it will be on the right. */
interface Props {
  id: string
  draft: Draft
  exhibits: Exhibit[]
  version: number
  fixed: boolean
}
const props = defineProps<Props>()
const TYPING_MS = 400
const written = computed(() => {
  const found = props.draft.value('report')
  return typeof found === 'string' ? found : null
})
const seen = refDebounced(written, TYPING_MS)
const { data: preview, error } = usePreview(toRef(props, 'id'), seen, toRef(props, 'version'))
const text = computed({
  get: () => written.value ?? preview.value?.markdown ?? '',
  set: (now: string) => {
    props.draft.set('report', now)
  },
})
const isOwn = computed(() => written.value !== null)
const confirming = ref(false)
function again(): void {
  props.draft.set('report', null)
  confirming.value = false
  void props.draft.flush()
}
function place(exhibit: Exhibit): void {
  const title = exhibit.title.replace(/[\\[\]]/g, '')
  text.value = `${text.value.trimEnd()}\n\n![${title}](exhibit:${exhibit.id})\n`
}

const PAPERS = ['A4', 'letter'] as const
const paper = ref<(typeof PAPERS)[number]>('A4')
const { busy, trouble, save: make } = useMaking()
async function save(kind: ReportKind): Promise<void> {
  await props.draft.flush()
  await make((job) => fetchReport(props.id, kind, paper.value, job))
}
const frame = computed(() => preview.value?.html ?? '')
</script>

<template>
  <section class="flex min-h-0 grow flex-col" aria-label="Report" data-report>
    <div class="flex flex-wrap items-center gap-2 pb-2">
      <PillButton label="Save as one HTML file" :disabled="busy !== null" @press="save('html')"
        >HTML</PillButton
      >
      <PillButton label="Save as PDF" :disabled="busy !== null" @press="save('pdf')">PDF</PillButton>
      <select v-model="paper" aria-label="Paper" class="border-b border-rule bg-transparent py-0.5">
        <option v-for="size in PAPERS" :key="size" :value="size">{{ size }}</option>
      </select>
      <PillButton label="Save as Markdown with pictures" :disabled="busy !== null" @press="save('zip')"
        >Markdown</PillButton
      >
      <span v-if="busy" role="status" class="text-soft" data-report-progress>{{ busy }} …</span>
      <span v-if="trouble" role="alert" class="text-needle">{{ trouble }}</span>
      <template v-if="!fixed">
        <span class="ml-auto text-2xs text-soft">{{
          isOwn ? 'written by you' : 'as Reditus prepares it, until you write'
        }}</span>
        <template v-if="isOwn">
          <template v-if="confirming">
            <span>Let go of what you wrote?</span>
            <PillButton label="Prepare again, and let go of what you wrote" @press="again"
              >Prepare again</PillButton
            >
            <PillButton label="Keep it as you wrote it" @press="confirming = false">Keep it</PillButton>
          </template>
          <PillButton v-else label="Prepare again: the report" @press="confirming = true"
            >Prepare again</PillButton
          >
        </template>
      </template>
    </div>
    <div class="grid min-h-0 grow grid-cols-2 gap-3" :class="fixed ? 'grid-cols-1!' : ''">
      <div v-if="!fixed" class="flex min-h-0 flex-col gap-1">
        <textarea
          v-model="text"
          aria-label="The report in Markdown"
          class="min-h-0 grow resize-none border border-rule bg-leaf p-3 font-mono text-xs leading-5"
          spellcheck="true"
          data-markdown
          @blur="draft.flush()"
        />
        <p class="flex flex-wrap gap-x-3 text-2xs text-soft">
          put in exhibit
          <button
            v-for="exhibit in exhibits"
            :key="exhibit.id"
            type="button"
            class="underline underline-offset-2 hover:text-needle"
            :title="exhibit.caption || exhibit.title"
            :aria-label="`Put in exhibit ${exhibit.number}`"
            @click="place(exhibit)"
          >
            {{ exhibit.number }}
          </button>
        </p>
      </div>
      <StateNote v-if="error && !preview" title="The report cannot be shown" :hint="error.message" />
      <iframe
        v-else
        :srcdoc="frame"
        sandbox=""
        title="The report as it will be"
        class="h-full w-full border border-rule bg-paper"
        data-preview
      />
    </div>
  </section>
</template>
