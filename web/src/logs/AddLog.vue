<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { refDebounced } from '@vueuse/core'
import { useAddLog } from '../api/mutations'
import { useFacts, useLogPreview } from '../api/queries'
import { spellCount } from '../model/numbers'
import { toInstant, toMs } from '../model/instant'
import PillButton from '../ui/PillButton.vue'
import SheetDialog from '../ui/SheetDialog.vue'
import TextField from '../ui/TextField.vue'
import { useTimes } from '../useTimes'
import { useSession } from '../workbench/session'

/** A log from a file: how its times are read is shown before any line is kept, and can be corrected. */
const emit = defineEmits<{ close: []; added: [says: string] }>()
const SAMPLE_BYTES = 256 * 1024
const AFTER_MS = 350
const LARGEST_BYTES = 32 << 20
const { id } = useSession()
const { data: facts } = useFacts(id)
const times = useTimes()
const file = shallowRef<File | null>(null)
const name = ref('')
const zone = ref('UTC')
const year = ref('')
const boot = ref('')
const adding = useAddLog(id)
watch(
  facts,
  (history) => {
    const own = history?.at(-1)?.facts.timezone
    // The log was most likely written by the clock that the host lives by.
    if (own && zone.value === 'UTC') zone.value = own
  },
  { immediate: true },
)
const yearProblem = computed(() => (/^(|\d{4})$/.test(year.value.trim()) ? '' : 'a year has four digits'))
const choices = computed(() => ({
  zone: zone.value.trim() || 'UTC',
  ...(year.value.trim() && !yearProblem.value ? { year: Number(year.value.trim()) } : {}),
  ...(boot.value.trim() ? { boot: boot.value.trim() } : {}),
  ...(file.value ? { written: toInstant(file.value.lastModified) } : {}),
}))
const settled = refDebounced(choices, AFTER_MS)
const sample = computed(() => file.value?.slice(0, SAMPLE_BYTES) ?? null)
const { data: preview, error, isFetching } = useLogPreview(id, sample, settled)
const tooLarge = computed(() =>
  file.value && file.value.size > LARGEST_BYTES
    ? `it has ${spellCount(Math.round(file.value.size / 2 ** 20))} MiB; 32 at most here. Larger ones: ./reditus markers import`
    : '',
)
const isReady = computed(
  () =>
    file.value &&
    preview.value?.total &&
    !error.value &&
    !tooLarge.value &&
    !yearProblem.value &&
    name.value.trim(),
)

function choose(event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return
  file.value = event.target.files?.[0] ?? null
  name.value = file.value?.name ?? ''
}
function keep(): void {
  if (!file.value || !isReady.value) return
  adding.mutate(
    { file: file.value, query: { ...choices.value, name: name.value.trim() } },
    {
      onSuccess: (kept) => {
        const left = kept.problem_count ? `; ${spellCount(kept.problem_count)} not understood` : ''
        emit('added', `${spellCount(kept.kept)} lines of ${name.value.trim()} kept${left}`)
        emit('close')
      },
    },
  )
}
</script>

<template>
  <SheetDialog title="Add a log" width="max-w-3xl" @close="emit('close')">
    <div class="space-y-3">
      <input type="file" aria-label="The log's file" class="block w-full text-xs" @change="choose" />
      <div class="grid grid-cols-[2fr_1.6fr_0.8fr_1.8fr] gap-4">
        <TextField v-model="name" label="called" hint="access.log" />
        <TextField v-model="zone" label="zone of times without one" hint="Europe/Berlin" />
        <TextField
          v-model="year"
          label="first year"
          :hint="preview?.year ? String(preview.year) : 'as written'"
          :wrong="yearProblem"
        />
        <TextField
          v-model="boot"
          label="start of the machine, if times count from it"
          hint="2026-11-12T08:00:00Z"
        />
      </div>
      <p v-if="tooLarge" class="text-needle" role="alert">{{ tooLarge }}</p>
      <p v-if="error" class="text-needle" role="alert">{{ error.message }}</p>
      <section
        v-else-if="preview"
        aria-label="How its lines are read"
        :aria-busy="isFetching"
        data-log-preview
      >
        <p>
          Times are read as <strong>{{ preview.format }}</strong>.
          <span v-for="doubt in preview.doubts" :key="doubt" class="block text-needle"
            >◇ not sure: {{ doubt }}</span
          >
          <span v-if="preview.problem_count" class="block text-soft">
            {{ spellCount(preview.problem_count) }} lines at the beginning are not understood, such as line
            {{ preview.problems[0]?.line }}: {{ preview.problems[0]?.problem }}
          </span>
        </p>
        <table class="mt-2 w-full border-collapse text-left">
          <caption class="sr-only">
            The first lines, as they would be kept
          </caption>
          <thead>
            <tr class="text-2xs text-soft">
              <th class="pr-3 font-normal">time</th>
              <th class="pr-3 font-normal">severity</th>
              <th class="pr-3 font-normal">program</th>
              <th class="font-normal">text</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="line in preview.lines.slice(0, 8)"
              :key="line.ident"
              class="border-t border-rule align-top"
            >
              <td class="pr-3 whitespace-nowrap tabular-nums">{{ times.at(toMs(line.at)) }}</td>
              <td class="pr-3">{{ line.severity }}</td>
              <td class="pr-3 break-words">{{ line.source }}</td>
              <td class="[overflow-wrap:anywhere]">{{ line.text.slice(0, 160) }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <p v-else class="text-soft">
        {{
          file
            ? 'reading its beginning …'
            : 'Any text whose lines tell their time: syslog, web servers, databases, the kernel. How it is read is shown here before anything is kept.'
        }}
      </p>
      <p v-if="adding.error.value" class="text-needle" role="alert">{{ adding.error.value.message }}</p>
    </div>
    <template #foot>
      <PillButton label="Keep the lines" :disabled="!isReady || adding.isPending.value" @press="keep">
        {{ adding.isPending.value ? 'keeping …' : 'Keep the lines' }}
      </PillButton>
      <PillButton label="Close without keeping any" @press="emit('close')">Close</PillButton>
    </template>
  </SheetDialog>
</template>
