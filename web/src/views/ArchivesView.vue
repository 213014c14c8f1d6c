<script setup lang="ts">
import { RouterLink } from 'vue-router'
import type { Archive } from '../api/client'
import { useArchives } from '../api/queries'
import { spellAmount } from '../model/amounts'
import { spellDuration, spellWindow } from '../model/clock'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { usePreferences } from '../usePreferences'
import { useKeys } from '../replay/useKeys'

const { data: archives, error, isPending } = useArchives()
const { zone, toggleZone, toggleTheme } = usePreferences()

const nothing = (): void => undefined
useKeys({
  play: nothing,
  back: nothing,
  forward: nothing,
  earlier: nothing,
  later: nothing,
  closer: nothing,
  wider: nothing,
  whole: nothing,
  undo: nothing,
  next: nothing,
  previous: nothing,
  slower: nothing,
  faster: nothing,
  follow: nothing,
  help: nothing,
  zone: toggleZone,
  theme: toggleTheme,
})

const LIVE_MS = 20_000
const isLive = (archive: Archive): boolean => archive.end_ms !== null && Date.now() - archive.end_ms < LIVE_MS
const lengthOf = (archive: Archive): string =>
  archive.start_ms === null || archive.end_ms === null
    ? '–'
    : spellDuration((archive.end_ms - archive.start_ms) / 1000)
</script>

<template>
  <div class="flex flex-col">
    <TopBar />
    <main class="mx-auto w-full max-w-5xl grow overflow-y-auto px-6 pt-8 pb-12">
      <h1 class="font-serif text-3xl font-semibold">Archives</h1>
      <p class="mt-1 text-soft">What was recorded of each host. Open one to see when it hurt, and why.</p>
      <StateNote v-if="isPending" title="Looking what there is" busy />
      <StateNote v-else-if="error && !archives" title="The archives cannot be listed" :hint="error.message" />
      <StateNote
        v-else-if="!archives?.length"
        title="Nothing recorded yet"
        hint="Record this machine for a minute: ./reditus record --for 60s"
      />
      <table v-else class="mt-6 w-full">
        <thead class="border-b border-rule-strong text-2xs text-soft">
          <tr>
            <th class="py-1.5 text-left font-normal">host</th>
            <th class="text-left font-normal">archive</th>
            <th class="text-left font-normal">from, to</th>
            <th class="pl-4 text-right font-normal">length</th>
            <th class="pl-4 text-right font-normal">every</th>
            <th class="pl-4 text-right font-normal">counters</th>
            <th class="pl-4 text-right font-normal">coverage</th>
            <th class="pl-4 text-right font-normal">size</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="archive in archives"
            :key="archive.id"
            class="group relative border-b border-rule hover:bg-leaf"
          >
            <td class="py-2.5 pr-4 font-semibold">{{ archive.host.name }}</td>
            <td class="pr-4">
              <RouterLink
                :to="{ name: 'workbench', params: { id: archive.id } }"
                class="font-serif text-base group-hover:underline after:absolute after:inset-0"
                >{{ archive.name }}</RouterLink
              >
              <span class="ml-2 text-2xs text-soft">{{
                isLive(archive) ? 'recording now' : archive.source
              }}</span>
            </td>
            <td class="whitespace-nowrap">
              {{
                archive.start_ms !== null && archive.end_ms !== null
                  ? spellWindow(archive.start_ms, archive.end_ms, zone)
                  : 'empty'
              }}
            </td>
            <td class="pl-4 text-right whitespace-nowrap">{{ lengthOf(archive) }}</td>
            <td class="pl-4 text-right whitespace-nowrap">
              {{ archive.interval_s === null ? '–' : spellDuration(archive.interval_s) }}
            </td>
            <td class="pl-4 text-right whitespace-nowrap">{{ archive.columns }}</td>
            <td class="pl-4 text-right whitespace-nowrap">{{ (archive.coverage * 100).toFixed(1) }} %</td>
            <td class="pl-4 text-right whitespace-nowrap">{{ spellAmount(archive.size_bytes, 'bytes') }}</td>
          </tr>
        </tbody>
      </table>
    </main>
  </div>
</template>
