<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { useArchive, useWeeks } from '../api/queries'
import { spellAmount } from '../model/amounts'
import { spellWindow } from '../model/clock'
import { toMs } from '../model/instant'
import { unitOf } from '../model/layouts'
import AxisLabels from '../ui/AxisLabels.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { useZone } from '../usePreferences'
import ChangeRow from '../weeks/ChangeRow.vue'
import DayCalendar from '../weeks/DayCalendar.vue'
import { growthWords, leftWords, sentencesOf, slopeWords, strainedWords } from '../weeks/words'

/** A host over weeks: since when it is as it is, whether it comes and goes, and what creeps. */
const HOUR_MS = 3_600_000
const route = useRoute()
const zone = useZone()
const id = computed(() => String(route.params['id']))
const { data: archive } = useArchive(id)
const { data: weeks, error } = useWeeks(id)
const extent = computed(() =>
  weeks.value ? { start: toMs(weeks.value.start), end: toMs(weeks.value.end) } : null,
)
const hours = computed(() => {
  const found = weeks.value
  const length = found?.changes[0]?.hours.length ?? 0
  return found && length
    ? { start: toMs(found.hours_from), end: toMs(found.hours_from) + length * HOUR_MS }
    : null
})
const sentences = computed(() => (weeks.value ? sentencesOf(weeks.value, zone.value) : []))
const title = (word: string): string => word.charAt(0).toUpperCase() + word.slice(1)
</script>

<template>
  <div class="flex flex-col">
    <TopBar>
      <div v-if="archive" class="flex min-w-0 items-baseline gap-3 whitespace-nowrap">
        <RouterLink
          class="truncate hover:text-needle"
          :to="{ name: 'workbench', params: { id } }"
          title="Back to the strips"
          ><b class="font-semibold">{{ archive.host.name }}</b> ▸ {{ archive.name }}</RouterLink
        >
      </div>
      <template #right>
        <span v-if="extent" class="text-ink">{{ spellWindow(extent.start, extent.end, zone) }}</span>
      </template>
    </TopBar>
    <main class="relative grow overflow-y-auto" tabindex="-1" data-weeks>
      <div class="px-6 pt-4 pb-8">
        <h1 class="font-serif text-[26px] font-semibold">
          Over weeks<template v-if="weeks">: {{ weeks.host }}</template>
        </h1>
        <StateNote v-if="error && !weeks" title="The weeks cannot be read" :hint="error.message" />
        <StateNote v-else-if="!weeks" title="Reading all archives of the host" busy />
        <template v-else>
          <p v-for="sentence in sentences" :key="sentence" class="max-w-4xl text-[15px]" data-sentence>
            {{ sentence }}
          </p>
          <p v-if="!weeks.knows_weeks" class="mt-1 max-w-4xl text-soft">
            There are fewer than two weeks: a weekend may pass for a change yet.
          </p>
          <div class="mt-4 grid grid-cols-[400px_minmax(0,1fr)] gap-8">
            <div>
              <h2 class="border-b border-rule-strong pb-1 font-serif text-base font-semibold">
                Days and their strain
              </h2>
              <DayCalendar class="mt-2" :weeks="weeks" />
              <p class="mt-1 text-2xs text-soft">
                In each day from top to bottom {{ weeks.strain.map((row) => row.resource).join(', ') }}; from
                left to right its hours.
              </p>
              <dl class="mt-3 grid grid-cols-[auto_1fr] gap-x-4 text-xs" data-strained>
                <template v-for="row in weeks.strain" :key="row.resource">
                  <dt class="text-soft">{{ title(row.resource) }}</dt>
                  <dd>{{ strainedWords(row, toMs(weeks.start), zone) }}</dd>
                </template>
              </dl>
              <h2 class="mt-5 border-b border-rule-strong pb-1 font-serif text-base font-semibold">
                How long there is room
              </h2>
              <p v-if="!weeks.left.length" class="mt-1 text-xs text-soft">
                Nothing moves towards its limit within two years.
              </p>
              <ul v-else class="mt-1 text-xs" data-left>
                <li
                  v-for="row in weeks.left"
                  :key="row.measure + row.device"
                  class="border-b border-rule/60 py-0.5"
                >
                  <b class="font-semibold">{{ row.device ?? row.title }}</b> {{ row.then }}
                  {{ leftWords(row) }}
                  <span class="text-soft">now {{ spellAmount(row.now, unitOf(row.measure, row.unit)) }}</span>
                </li>
              </ul>
              <h2 class="mt-5 border-b border-rule-strong pb-1 font-serif text-base font-semibold">
                Growth of work and of waits
              </h2>
              <table v-if="weeks.growth.length" class="mt-1 w-full text-xs" data-growth>
                <tbody>
                  <tr
                    v-for="row in weeks.growth"
                    :key="row.resource"
                    class="border-b border-rule/60 align-top"
                  >
                    <th class="py-0.5 pr-3 text-left font-normal text-soft">{{ title(row.resource) }}</th>
                    <td
                      class="py-0.5 pr-3"
                      :title="`${row.demand_title}: ${slopeWords(row.demand_slope)}; ${row.response_title}: ${slopeWords(row.response_slope)}`"
                    >
                      {{ growthWords(row) }}
                    </td>
                    <td class="py-0.5 text-right whitespace-nowrap">
                      {{ slopeWords(row.demand_slope) }} / {{ slopeWords(row.response_slope) }}
                    </td>
                  </tr>
                </tbody>
              </table>
              <p v-else class="mt-1 text-xs text-soft">Too little is kept of this host to tell.</p>
            </div>
            <div class="min-w-0">
              <h2 class="border-b border-rule-strong pb-1 font-serif text-base font-semibold">
                What changed slowly
                <span class="ml-2 font-sans text-2xs font-normal text-soft"
                  >what matters most for work first; the rhythm of days<template v-if="weeks.knows_weeks">
                    and weeks</template
                  >
                  is taken out</span
                >
              </h2>
              <p v-if="!weeks.changes.length" class="mt-2 text-soft">
                {{
                  hours
                    ? 'Nothing changed its level for good, and nothing creeps.'
                    : 'Nothing is kept of this host’s hours yet: that takes two days of recording.'
                }}
              </p>
              <ul>
                <ChangeRow
                  v-for="item in weeks.changes"
                  :key="item.measure + item.device"
                  :item="item"
                  :weeks="weeks"
                />
              </ul>
              <div v-if="hours" class="ml-[202px] mr-[46px] h-[22px] text-2xs text-soft">
                <AxisLabels :window="hours" :zone="zone" class="relative" />
              </div>
            </div>
          </div>
        </template>
      </div>
    </main>
  </div>
</template>
