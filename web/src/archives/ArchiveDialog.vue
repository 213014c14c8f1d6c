<script setup lang="ts">
import { toMs, toMsOrNull } from '../model/instant'
import { computed, ref } from 'vue'
import type { Archive } from '../api/client'
import { useCopyArchive, useDeleteArchive, useDescribeArchive, useTrimArchive } from '../api/mutations'
import { useGaps } from '../api/queries'
import { spellAmount } from '../model/amounts'
import { spellDuration, spellWindow } from '../model/clock'
import PillButton from '../ui/PillButton.vue'
import SheetDialog from '../ui/SheetDialog.vue'
import TextField from '../ui/TextField.vue'
import { usePreferences } from '../usePreferences'
import { spellCount, spellFixed } from '../model/numbers'
import { archiveAddress } from '../imports/exporting'
import { asRfc3339, toSecond } from './hosts'

/** One archive at a glance, and what can be done with it. */
const props = defineProps<{ archive: Archive }>()
const emit = defineEmits<{ close: []; changed: [says: string] }>()

const { zone } = usePreferences()
const { data: gaps, error: gapsError } = useGaps(computed(() => props.archive.id))
const name = ref(props.archive.name)
const notes = ref(props.archive.notes)
const from = ref(toSecond(toMsOrNull(props.archive.start), Math.floor))
const to = ref(toSecond(toMsOrNull(props.archive.end), Math.ceil))
const copyName = ref(`part of ${props.archive.name}`)
const sure = ref(false)

const facts = computed(() => [
  [
    'time',
    props.archive.start !== null && props.archive.end !== null
      ? spellWindow(toMs(props.archive.start), toMs(props.archive.end), zone.value)
      : 'empty',
  ],
  ['ticks', `${spellCount(props.archive.ticks)} of ${props.archive.columns} counters`],
  ['size', spellAmount(props.archive.size_bytes, 'bytes')],
  ['coverage', `${spellFixed(props.archive.coverage * 100, 2)} %`],
  ...(props.archive.damaged_blocks
    ? [
        [
          'damaged',
          `${props.archive.damaged_blocks} block${props.archive.damaged_blocks === 1 ? '' : 's'}: what was in them is a gap, see below. ./reditus check says what to restore`,
        ],
      ]
    : []),
  ...(props.archive.trouble ? [['trouble', props.archive.trouble]] : []),
])

const id = computed(() => props.archive.id)
const [description, copying, trimming, deletion] = [
  useDescribeArchive(id),
  useCopyArchive(id),
  useTrimArchive(id),
  useDeleteArchive(id),
]
const writes = [description, copying, trimming, deletion]
const busy = computed(() => writes.some((write) => write.isPending.value))
const trouble = computed(() => writes.flatMap((write) => write.error.value?.message ?? [])[0] ?? '')

/** What was refused before is no longer shown. */
function fresh(): void {
  for (const write of writes) write.reset()
}
function finish(sentence: string): void {
  emit('changed', sentence)
  emit('close')
}
function save(): void {
  fresh()
  description.mutate(
    { name: name.value, notes: notes.value },
    {
      onSuccess: () => {
        finish('Saved.')
      },
    },
  )
}
function protect(): void {
  fresh()
  description.mutate(
    { protected: !props.archive.protected },
    {
      onSuccess: (archive) => {
        emit('changed', archive.protected ? 'Nothing is removed from it now.' : 'Protection removed.')
      },
    },
  )
}
const [wholeFrom, wholeTo] = [from.value, to.value]
/** A window ends before its end: of a whole archive the last tick would be missing. */
const saved = (format: string): string =>
  archiveAddress(
    props.archive.id,
    format,
    from.value === wholeFrom && to.value === wholeTo ? null : stretch.value,
  )
const stretch = computed(() => ({ from: asRfc3339(from.value), to: asRfc3339(to.value) }))
function copy(): void {
  fresh()
  copying.mutate(
    { ...stretch.value, name: copyName.value },
    {
      onSuccess: (made) => {
        finish(`${made.name}: ${spellCount(made.ticks)} ticks copied.`)
      },
    },
  )
}
function trim(): void {
  fresh()
  trimming.mutate(stretch.value, {
    onSuccess: (done) => {
      finish(`${spellCount(done.removed_ticks)} readings removed from ${props.archive.name}.`)
    },
  })
}
function remove(): void {
  fresh()
  deletion.mutate(undefined, {
    onSuccess: () => {
      finish(`${props.archive.name} is deleted; for about a minute that can be taken back.`)
    },
  })
}
</script>

<template>
  <SheetDialog :title="archive.name" data-archive-dialog @close="emit('close')">
    <template #head>
      <p class="text-soft">{{ archive.host.name }} · {{ archive.source }}</p>
    </template>
    <dl class="grid grid-cols-[4rem_1fr] gap-x-4 gap-y-0.5">
      <template v-for="[title, text] in facts" :key="title">
        <dt class="text-soft">{{ title }}</dt>
        <dd :data-fact="title">{{ text }}</dd>
      </template>
      <dt class="text-soft">gaps</dt>
      <dd data-fact="gaps">
        <span v-if="gapsError" class="text-needle">{{ gapsError.message }}</span>
        <span v-else-if="!gaps">looking …</span>
        <span v-else-if="!gaps.total">none</span>
        <template v-else>
          {{ gaps.total }}, {{ spellDuration(gaps.seconds) }} in all
          <ul class="mt-1 max-h-28 overflow-y-auto border-t border-rule">
            <li v-for="gap in gaps.gaps" :key="gap.start" class="flex gap-4 border-b border-rule py-0.5">
              <span class="whitespace-nowrap">{{ spellWindow(toMs(gap.start), toMs(gap.end), zone) }}</span>
              <span :class="gap.reason ? '' : 'text-soft'">{{ gap.reason ?? 'unexplained' }}</span>
            </li>
          </ul>
        </template>
      </dd>
    </dl>
    <section>
      <div class="grid grid-cols-2 gap-4">
        <TextField v-model="name" label="Name" />
        <label class="flex items-end gap-2 pb-1">
          <input
            type="checkbox"
            class="accent-ink"
            :checked="archive.protected"
            :disabled="busy"
            @change="protect"
          />
          Protected: nothing is removed from it
        </label>
      </div>
      <label class="mt-2 block">
        <span class="text-2xs text-soft">Notes</span>
        <textarea
          v-model="notes"
          rows="3"
          maxlength="10000"
          class="block w-full resize-y border border-rule-strong bg-transparent p-1.5"
        />
      </label>
      <PillButton class="mt-2" label="Save name and notes" :disabled="busy" @press="save"
        >Save name and notes</PillButton
      >
    </section>
    <section>
      <h3 class="font-serif text-[15px] font-semibold">A stretch</h3>
      <div class="mt-1 grid grid-cols-3 gap-4">
        <TextField v-model="from" label="From" hint="2026-11-12T09:00:00Z" />
        <TextField v-model="to" label="To" hint="2026-11-12T10:00:00Z" />
        <TextField v-model="copyName" label="Name of the copy" />
      </div>
      <div class="mt-2 flex items-center gap-3">
        <PillButton label="Copy it: the stretch as an archive of its own" :disabled="busy" @press="copy"
          >Copy it</PillButton
        >
        <PillButton
          label="Trim to it: remove everything outside, for good"
          :disabled="busy || archive.protected || !sure"
          @press="trim"
          >Trim to it</PillButton
        >
        <label class="flex items-center gap-2 text-soft">
          <input v-model="sure" type="checkbox" class="accent-ink" :disabled="archive.protected" />
          what lies outside may go for good
        </label>
      </div>
      <p class="mt-3 text-soft">
        Save it as a file that checks itself, for another Reditus or to keep:
        <a class="text-ink underline underline-offset-2 hover:text-needle" :href="saved('archive')" download
          >archive file</a
        >,
        <a
          class="text-ink underline underline-offset-2 hover:text-needle"
          :href="saved('archive-parquet')"
          download
          >with counters as Parquet</a
        >
      </p>
    </section>
    <template #foot>
      <p class="grow text-needle" role="alert">{{ trouble }}</p>
      <PillButton
        :label="archive.protected ? 'Protected: not to be deleted' : 'Delete the archive'"
        :disabled="busy || archive.protected"
        @press="remove"
        >Delete</PillButton
      >
      <PillButton label="Close" keys="Esc" on @press="emit('close')">Close</PillButton>
    </template>
  </SheetDialog>
</template>
