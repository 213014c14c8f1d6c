<script setup lang="ts">
import { toMs } from '../model/instant'
import { computed, ref } from 'vue'
import { RouterLink } from 'vue-router'
import type { Archive } from '../api/client'
import { useRestoreArchive } from '../api/mutations'
import ArchiveDialog from '../archives/ArchiveDialog.vue'
import { byHost, newestOf } from '../archives/hosts'
import HostSummary from '../archives/HostSummary.vue'
import { useArchives } from '../api/queries'
import { spellAmount } from '../model/amounts'
import { spellFixed } from '../model/numbers'
import { spellDuration, spellWindow } from '../model/clock'
import HintNote from '../settings/HintNote.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { usePreferences } from '../usePreferences'
import { useSettings } from '../settings/useSettings'
import { useKeys } from '../replay/useKeys'

const { data: archives, error, isPending } = useArchives()
const { zone, toggleZone, toggleTheme } = usePreferences()
const { open: openSettings } = useSettings()

useKeys({ zone: toggleZone, theme: toggleTheme, settings: openSettings })

const LIVE_MS = 20_000
const isLive = (archive: Archive): boolean => archive.end !== null && Date.now() - toMs(archive.end) < LIVE_MS
const byName = computed(() => byHost(archives.value ?? []))
/** What the last day of each host cost, as far as it was judged. */
const harm = ref(new Map<string, number>())
function judged(host: string, seconds: number): void {
  harm.value = new Map(harm.value).set(host, seconds)
}
/** Worst first, once all are judged: a list that is read does not change its order with each answer. */
const isJudged = computed(() => byName.value.every((host) => !newestOf(host) || harm.value.has(host.id)))
const hosts = computed(() =>
  isJudged.value
    ? [...byName.value].sort((a, b) => (harm.value.get(b.id) ?? 0) - (harm.value.get(a.id) ?? 0))
    : byName.value,
)
/** Of the first hosts: a fleet is not judged by opening its list. */
const MOST_JUDGED = 24
const turns = computed(() => {
  const waiting = byName.value.slice(0, MOST_JUDGED).filter((host) => newestOf(host))
  const next = waiting.find((host) => !harm.value.has(host.id))
  return new Set([...harm.value.keys(), ...(next ? [next.id] : [])])
})
const marks = (archive: Archive): string =>
  [
    ...(archive.trouble ? ['partly unreadable'] : []),
    ...(archive.damaged_blocks ? [`${archive.damaged_blocks} damaged`] : []),
    archive.deleted !== null
      ? 'deleted, goes within a minute'
      : isLive(archive)
        ? 'recording now'
        : archive.source,
    ...(archive.protected ? ['protected'] : []),
  ].join(' · ')

const opened = ref<string | null>(null)
const shown = computed(() => archives.value?.find((item) => item.id === opened.value) ?? null)
const says = ref('')
const restoring = useRestoreArchive()
function changed(sentence: string): void {
  says.value = sentence
}
function restore(archive: Archive): void {
  restoring.mutate(archive.id, {
    onSuccess: () => {
      changed(`${archive.name} is there again.`)
    },
    onError: (why) => {
      changed(why.message)
    },
  })
}
const lengthOf = (archive: Archive): string =>
  archive.start === null || archive.end === null
    ? '–'
    : spellDuration((toMs(archive.end) - toMs(archive.start)) / 1000)
</script>

<template>
  <div class="flex flex-col">
    <TopBar />
    <main class="relative grow overflow-y-auto">
      <div class="mx-auto w-full max-w-6xl px-6 pt-8 pb-12">
        <h1 class="font-serif text-3xl font-semibold">Archives</h1>
        <p class="mt-1 text-soft">What was recorded of each host. Open one to see when it hurt, and why.</p>
        <HintNote place="archives" class="mt-4 border" />
        <StateNote v-if="isPending" title="Loading archives" busy />
        <StateNote
          v-else-if="error && !archives"
          title="The archives cannot be listed"
          :hint="error.message"
        />
        <StateNote
          v-else-if="!archives?.length"
          title="Nothing recorded yet"
          hint="Record this machine for a minute: ./reditus record --for 60s"
        />
        <p v-if="says" class="mt-4" role="status">{{ says }}</p>
        <table v-if="hosts.length" class="mt-6 w-full table-fixed">
          <colgroup>
            <col />
            <col class="w-[16rem]" />
            <col
              v-for="(width, at) in [5, 4, 5, 5.5, 5.5, 5.5]"
              :key="at"
              :style="{ width: `${width}rem` }"
            />
          </colgroup>
          <thead class="border-b border-rule-strong text-2xs text-soft">
            <tr>
              <th class="py-1.5 text-left font-normal">archive</th>
              <th class="text-left font-normal">from, to</th>
              <th class="text-right font-normal">length</th>
              <th class="text-right font-normal">interval</th>
              <th class="text-right font-normal">counters</th>
              <th class="text-right font-normal">coverage</th>
              <th class="text-right font-normal">size</th>
              <th><span class="sr-only">more</span></th>
            </tr>
          </thead>
          <tbody v-for="host in hosts" :key="host.id" :data-host="host.name">
            <tr>
              <th colspan="8" class="border-b border-rule pt-5 pb-1 text-left font-normal" scope="rowgroup">
                <span class="font-serif text-lg font-semibold">{{ host.name }}</span>
                <RouterLink
                  v-if="host.kept > 1"
                  :to="{ name: 'workbench', params: { id: host.id } }"
                  class="ml-3 text-soft underline decoration-rule-strong underline-offset-4 hover:text-ink"
                  >all {{ host.kept }} archives as one</RouterLink
                >
                <HostSummary
                  v-if="newestOf(host)"
                  :archive="newestOf(host)!"
                  :turn="turns.has(host.id)"
                  @judged="judged(host.id, $event)"
                />
              </th>
            </tr>
            <tr
              v-for="archive in host.archives"
              :key="archive.id"
              class="group relative border-b border-rule hover:bg-leaf"
              :class="archive.deleted === null ? '' : 'text-soft'"
              :data-archive="archive.name"
            >
              <td class="truncate py-2 pr-4">
                <RouterLink
                  :to="{ name: 'workbench', params: { id: archive.id } }"
                  class="font-serif text-base group-hover:underline after:absolute after:inset-0"
                  :class="archive.deleted === null ? '' : 'line-through'"
                  >{{ archive.name }}</RouterLink
                >
                <span class="ml-2 text-2xs text-soft">{{ marks(archive) }}</span>
                <p v-if="archive.notes" class="truncate text-2xs text-soft" :title="archive.notes">
                  {{ archive.notes }}
                </p>
              </td>
              <td class="whitespace-nowrap">
                {{
                  archive.start !== null && archive.end !== null
                    ? spellWindow(toMs(archive.start), toMs(archive.end), zone)
                    : 'empty'
                }}
              </td>
              <td class="text-right whitespace-nowrap">{{ lengthOf(archive) }}</td>
              <td class="text-right whitespace-nowrap">
                {{ archive.interval_s === null ? '–' : spellDuration(archive.interval_s) }}
              </td>
              <td class="text-right whitespace-nowrap">{{ archive.columns }}</td>
              <td class="text-right whitespace-nowrap">{{ spellFixed(archive.coverage * 100, 1) }} %</td>
              <td class="text-right whitespace-nowrap">{{ spellAmount(archive.size_bytes, 'bytes') }}</td>
              <td class="text-right">
                <button
                  v-if="archive.deleted !== null"
                  type="button"
                  class="relative z-10 text-needle underline underline-offset-2"
                  :aria-label="`Take back the deletion of ${archive.name}`"
                  @click="restore(archive)"
                >
                  take back
                </button>
                <button
                  v-else
                  type="button"
                  class="relative z-10 text-soft underline decoration-rule-strong underline-offset-2 hover:text-ink"
                  :aria-label="`Details of ${archive.name}`"
                  @click="opened = archive.id"
                >
                  details
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <ArchiveDialog v-if="shown" :archive="shown" @close="opened = null" @changed="changed" />
      </div>
    </main>
  </div>
</template>
