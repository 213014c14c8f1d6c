<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { PlanDocument, PlanEntry } from '../api/client'
import { useDeletePlan, useDirectRecorder, useForgetRecorder, type Orders } from '../api/mutations'
import { usePlanGroups, usePlans, useRecorders } from '../api/queries'
import PlanDialog from '../recorders/PlanDialog.vue'
import RecorderRow from '../recorders/RecorderRow.vue'
import PillButton from '../ui/PillButton.vue'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'

const { data: recorders, error, isPending } = useRecorders()
const { data: plans } = usePlans()
const { data: groups } = usePlanGroups()
const now = ref(Date.now())
useIntervalFn(() => (now.value = Date.now()), 1_000)

const editing = ref<{ plan: PlanDocument | null } | null>(null)
const known = computed(() => plans.value ?? [])

const [orders, forgetting, deletion] = [useDirectRecorder(), useForgetRecorder(), useDeletePlan()]
const writes = [orders, forgetting, deletion]
/** Of the last change: what was refused before it is no longer shown. */
const trouble = computed(() => writes.flatMap((write) => write.error.value?.message ?? [])[0] ?? '')
function fresh(): void {
  for (const write of writes) write.reset()
}
function direct(id: string, body: Orders): void {
  fresh()
  orders.mutate({ id, orders: body })
}
function forget(id: string): void {
  fresh()
  forgetting.mutate(id)
}
function remove(name: string): void {
  fresh()
  deletion.mutate(name)
}
const sentence = ({ plan, recorders: followers }: PlanEntry): string => {
  const out = Object.entries(plan.groups ?? {}).filter(([, wish]) => wish.record === false)
  return [
    `a tick every ${plan.every ?? '1s'}`,
    plan.keep ? `kept ${plan.keep}` : 'kept for ever',
    out.length ? `without ${out.map(([name]) => name).join(', ')}` : 'all counters',
    followers.length ? `followed by ${followers.join(', ')}` : 'no recorder follows it',
  ].join(' · ')
}
</script>

<template>
  <div class="flex flex-col">
    <TopBar />
    <main class="relative grow overflow-y-auto">
      <div class="mx-auto w-full max-w-5xl px-6 pt-8 pb-12">
        <h1 class="font-serif text-3xl font-semibold">Recorders</h1>
        <p class="mt-1 text-soft">Recorders, their health, and the plans they follow.</p>
        <p v-if="trouble" class="mt-2 text-needle" role="alert">{{ trouble }}</p>
        <StateNote v-if="isPending" title="Loading recorders" busy />
        <StateNote
          v-else-if="error && !recorders"
          title="The recorders cannot be listed"
          :hint="error.message"
        />
        <StateNote
          v-else-if="!recorders?.length"
          title="No recorder has reported yet"
          hint="Record this machine for a minute: ./reditus record --for 60s"
        />
        <section v-else class="mt-4" aria-label="Recorders">
          <RecorderRow
            v-for="each in recorders"
            :key="each.id"
            :recorder="each"
            :plans="known"
            :now="now"
            @direct="direct(each.id, $event)"
            @forget="forget(each.id)"
          />
        </section>
        <section class="mt-8" aria-label="Plans">
          <div class="flex items-baseline justify-between border-b border-rule-strong pb-1.5">
            <h2 class="font-serif text-xl font-semibold">Plans</h2>
            <PillButton label="Make a new plan" @press="editing = { plan: null }">New plan</PillButton>
          </div>
          <p v-if="!known.length" class="mt-3 text-soft">
            None yet. A plan says which counters, how often, when, and how long they are kept; recorders
            without one record everything as they were started.
          </p>
          <article
            v-for="each in known"
            :key="each.name"
            class="flex items-baseline gap-4 border-b border-rule py-2.5"
            :data-plan="each.name"
          >
            <h3 class="font-serif text-base font-semibold">{{ each.name }}</h3>
            <p class="grow text-soft">{{ sentence(each) }}</p>
            <PillButton :label="`Change ${each.name}`" @press="editing = { plan: each.plan }"
              >Change</PillButton
            >
            <PillButton
              :label="`Remove ${each.name}`"
              :disabled="each.recorders.length > 0"
              @press="remove(each.name)"
              >Remove</PillButton
            >
          </article>
        </section>
      </div>
    </main>
    <PlanDialog
      v-if="editing && groups"
      :plan="editing.plan"
      :groups="groups"
      @close="editing = null"
      @saved="editing = null"
    />
  </div>
</template>
