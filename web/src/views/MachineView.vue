<script setup lang="ts">
import { computed, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { useArchive, useFacts, useMoment, useUse } from '../api/queries'
import { machinePairs, machineTables, serviceTable } from '../machine/sections'
import { spellInstant } from '../model/clock'
import { toMs, toMsOrNull } from '../model/instant'
import ChangeList from '../names/ChangeList.vue'
import { changesOf } from '../names/facts'
import PlainTable from '../ui/PlainTable.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
import { useZone } from '../usePreferences'

/** The machine of an archive on one page: what it is made of, and what of that changed while it was recorded. */
const route = useRoute()
const zone = useZone()
const id = computed(() => String(route.params['id']))
const { data: archive } = useArchive(id)
const { data: history, error, isPending } = useFacts(id)
const newest = computed(() => history.value?.at(-1) ?? null)
const { data: moment } = useMoment(
  id,
  computed(() => toMsOrNull(archive.value?.end ?? null)),
  computed(() => ['system.uptime']),
)
const uptime = computed(() => moment.value?.readings[0]?.value ?? null)
const pairs = computed(() => (newest.value ? machinePairs(newest.value.facts, uptime.value) : []))
const tables = computed(() => (newest.value ? machineTables(newest.value.facts) : []))
const whole = computed(() => {
  const [start, end] = [toMsOrNull(archive.value?.start ?? null), toMsOrNull(archive.value?.end ?? null)]
  return start !== null && end !== null && start < end ? { start, end } : null
})
const { data: use } = useUse(id, whole, ref('service'), ref('processor'), ref(''))
const services = computed(() =>
  use.value?.recorded ? serviceTable(use.value, newest.value?.facts.groups) : null,
)
const changes = computed(() => changesOf(history.value ?? []))
</script>

<template>
  <div class="flex flex-col">
    <TopBar />
    <main class="relative grow overflow-y-auto" tabindex="-1">
      <div class="mx-auto w-full max-w-5xl px-6 pt-8 pb-12" data-machine>
        <p class="text-2xs text-soft">
          <RouterLink :to="{ name: 'workbench', params: { id } }" class="underline hover:text-needle"
            >back to the strips</RouterLink
          >
        </p>
        <h1 class="font-serif text-3xl font-semibold">{{ archive?.host.name ?? 'The machine' }}</h1>
        <StateNote v-if="isPending" title="Reading what is known of the machine" busy />
        <StateNote v-else-if="error" title="The machine cannot be described" :hint="error.message" />
        <StateNote
          v-else-if="!newest || !pairs.length"
          title="Nothing is known of this machine"
          hint="A recorder reports it; an imported file may not."
        />
        <template v-else>
          <p class="mt-1 text-soft">
            As it was reported on {{ spellInstant(toMs(newest.since), zone) }}. What the recorder may not read
            is left out: the firmware's table usually takes root.
          </p>
          <dl class="mt-6 grid grid-cols-[8rem_1fr] gap-x-4">
            <template v-for="[name, value] in pairs" :key="name">
              <dt class="border-t border-rule py-1 text-soft">{{ name }}</dt>
              <dd class="border-t border-rule py-1 break-words">{{ value }}</dd>
            </template>
          </dl>
          <section v-for="table in tables" :key="table.title" class="mt-8">
            <h2 class="mb-1 font-serif text-xl font-semibold">{{ table.title }}</h2>
            <PlainTable :caption="table.title" :columns="table.columns" :rows="table.rows" />
          </section>
          <section v-if="services?.rows.length" class="mt-8" data-services>
            <h2 class="mb-1 font-serif text-xl font-semibold">{{ services.title }}</h2>
            <p class="mb-1 text-soft">
              What each used over the whole recording, as far as its processes were seen.
            </p>
            <PlainTable :caption="services.title" :columns="services.columns" :rows="services.rows" />
          </section>
          <section class="mt-8">
            <h2 class="mb-1 font-serif text-xl font-semibold">What changed</h2>
            <ChangeList :changes="changes" />
          </section>
        </template>
      </div>
    </main>
  </div>
</template>
