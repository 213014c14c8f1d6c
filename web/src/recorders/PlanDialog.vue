<script setup lang="ts">
import { computed, ref } from 'vue'
import type { PlanDocument, PlanGroup, Wrong } from '../api/client'
import { useSavePlan } from '../api/mutations'
import PillButton from '../ui/PillButton.vue'
import SheetDialog from '../ui/SheetDialog.vue'
import TextField from '../ui/TextField.vue'
import { DAYS, DEVICE_KINDS, toForm, toPlan } from './planForm'

/** Make a plan, or change one. The server judges it; what is wrong is reported at its place. */
const props = defineProps<{ plan: PlanDocument | null; groups: PlanGroup[] }>()
const emit = defineEmits<{ close: []; saved: [name: string] }>()

const SEVERITIES = ['emergency', 'alert', 'critical', 'error', 'warning', 'notice', 'informational', 'debug']
const form = ref(
  toForm(
    props.plan ?? { name: '' },
    props.groups.map((group) => group.name),
  ),
)
const saving = useSavePlan()
const busy = saving.isPending
const wrong = computed<Wrong[]>(() => saving.error.value?.wrong ?? [])
const trouble = computed(() =>
  wrong.value.length
    ? 'The plan cannot be followed like this; see the marked places.'
    : (saving.error.value?.message ?? ''),
)
/** Closing what was changed asks first, once. */
const asPlanned = JSON.stringify(form.value)
const isAsked = ref(false)
const close = (): void => {
  if (JSON.stringify(form.value) === asPlanned || isAsked.value) emit('close')
  else isAsked.value = true
}
const placeOf = ({ pointer, parameter }: Wrong): string =>
  pointer?.replace('#/', '').replaceAll('/', '.') ?? parameter ?? ''
const problemAt = (place: string): string => wrong.value.find((item) => placeOf(item) === place)?.detail ?? ''
/** What is wrong at places that the form does not show by themselves. */
const elsewhere = computed(() =>
  wrong.value.filter(
    (item) =>
      !/^(name|every|keep|control_groups|when\.(start|end|weekly\.\d)|burst\.|devices\.|groups\.)/.test(
        placeOf(item),
      ),
  ),
)

function save(): void {
  const plan = toPlan(form.value)
  saving.mutate(plan, {
    onSuccess: () => {
      emit('saved', plan.name)
    },
  })
}
const addWeek = (): void => {
  form.value.weekly.push({ days: DAYS.slice(0, 5), from: '08:00', to: '18:00' })
}
</script>

<template>
  <SheetDialog
    :title="plan ? `Plan ${form.name}` : 'A new plan'"
    width="max-w-3xl"
    data-plan-dialog
    @close="close"
  >
    <template #head>
      <p class="text-soft">Recorders that follow it do so within seconds, without a restart.</p>
    </template>
    <div class="grid grid-cols-3 gap-4">
      <TextField v-model="form.name" label="Name" :wrong="problemAt('name')" :fixed="plan !== null" />
      <TextField v-model="form.every" label="Tick every" hint="100ms to 1h" :wrong="problemAt('every')" />
      <TextField
        v-model="form.keep"
        label="Keep for"
        hint="such as 30d; empty: for ever"
        :wrong="problemAt('keep')"
      />
    </div>
    <fieldset>
      <legend class="font-serif text-[15px] font-semibold">When</legend>
      <div class="mt-1 grid grid-cols-2 gap-4">
        <TextField
          v-model="form.start"
          label="From"
          hint="2026-11-12T09:00:00Z; empty: now"
          :wrong="problemAt('when.start')"
        />
        <TextField v-model="form.end" label="Until" hint="empty: no end" :wrong="problemAt('when.end')" />
      </div>
      <div v-for="(stretch, place) in form.weekly" :key="place" class="mt-2 flex flex-wrap items-end gap-3">
        <label v-for="day in DAYS" :key="day" class="flex items-center gap-1">
          <input v-model="stretch.days" type="checkbox" :value="day" class="accent-ink" />{{ day }}
        </label>
        <TextField
          v-model="stretch.from"
          class="w-20"
          label="from"
          :wrong="problemAt(`when.weekly.${place}.from`)"
        />
        <TextField
          v-model="stretch.to"
          class="w-20"
          label="to (UTC)"
          :wrong="problemAt(`when.weekly.${place}.to`)"
        />
        <button type="button" class="underline hover:text-needle" @click="form.weekly.splice(place, 1)">
          remove
        </button>
        <p v-if="problemAt(`when.weekly.${place}.days`)" class="text-2xs text-needle">
          {{ problemAt(`when.weekly.${place}.days`) }}
        </p>
      </div>
      <button type="button" class="mt-2 underline hover:text-needle" @click="addWeek">
        {{ form.weekly.length ? 'add hours of the week' : 'all week; choose hours' }}
      </button>
    </fieldset>
    <fieldset>
      <legend class="font-serif text-[15px] font-semibold">Counters</legend>
      <ul class="mt-1 grid grid-cols-2 gap-x-8">
        <li v-for="group in groups" :key="group.name" class="border-b border-rule py-1">
          <div v-if="form.groups[group.name]" class="flex items-center gap-2">
            <label class="flex grow items-center gap-2" :title="group.name">
              <input v-model="form.groups[group.name]!.record" type="checkbox" class="accent-ink" />{{
                group.title
              }}
            </label>
            <input
              v-model="form.groups[group.name]!.every"
              class="w-16 border-b border-rule-strong bg-transparent text-right placeholder:text-soft"
              placeholder="as plan"
              :aria-label="`Interval of ${group.title}`"
              :disabled="!form.groups[group.name]!.record"
            />
          </div>
          <p v-if="problemAt(`groups.${group.name}.every`)" class="text-2xs text-needle">
            {{ problemAt(`groups.${group.name}.every`) }}
          </p>
        </li>
      </ul>
      <label class="mt-2 flex items-center gap-2">
        <input v-model="form.arguments" type="checkbox" class="accent-ink" />
        Record the command lines of processes. They may hold secrets.
      </label>
      <label class="mt-1 flex items-center gap-2">
        <input v-model="form.threads" type="checkbox" class="accent-ink" />
        Record the heaviest threads of the heaviest processes one by one.
      </label>
      <div class="mt-2 grid grid-cols-2 items-end gap-4">
        <TextField
          v-model="form.controlGroups"
          label="Control groups below the top level"
          hint="system.slice/web.service user.slice/*"
          :wrong="wrong.find((problem) => placeOf(problem).startsWith('control_groups'))?.detail ?? ''"
        />
        <label class="block">
          <span class="text-2xs text-soft">Lines of the kernel's log, as notes</span>
          <select v-model="form.log" class="block w-full border-b border-rule-strong bg-leaf py-0.5">
            <option value="">none</option>
            <option v-for="level in SEVERITIES" :key="level" :value="level">
              {{ level }}{{ level === 'emergency' ? '' : ' and worse' }}
            </option>
          </select>
        </label>
      </div>
    </fieldset>
    <fieldset>
      <legend class="font-serif text-[15px] font-semibold">Devices</legend>
      <p class="text-2xs text-soft">Names or patterns with *, parted by blanks. Empty: all.</p>
      <div
        v-for="{ kind, title } in DEVICE_KINDS"
        :key="kind"
        class="mt-1 grid grid-cols-[7rem_1fr_1fr_9rem] items-end gap-4"
      >
        <span class="pb-1">{{ title }}</span>
        <TextField
          v-model="form.devices[kind]!.only"
          label="only"
          :wrong="problemAt(`devices.${kind}.only`)"
        />
        <TextField
          v-model="form.devices[kind]!.without"
          label="without"
          :wrong="problemAt(`devices.${kind}.without`)"
        />
        <label class="flex items-center gap-2 pb-1">
          <input v-model="form.devices[kind]!.idle" type="checkbox" class="accent-ink" />idle ones too
        </label>
      </div>
    </fieldset>
    <fieldset>
      <legend class="font-serif text-[15px] font-semibold">Bursts</legend>
      <p class="text-2xs text-soft">
        Faster ticks for a time: by hand, and while tasks lose more than a share of their time.
      </p>
      <div class="mt-1 grid grid-cols-6 items-end gap-4">
        <label class="col-span-2 block">
          <span class="text-2xs text-soft">begin by itself when</span>
          <select
            v-model="form.burst.resource"
            class="block w-full border-b border-rule-strong bg-leaf py-0.5"
          >
            <option value="">never: by hand only</option>
            <option value="cpu">stalled for a core</option>
            <option value="memory">stalled for memory</option>
            <option value="io">stalled on I/O</option>
          </select>
        </label>
        <TextField
          v-model="form.burst.above"
          label="share above"
          hint="0.2"
          :wrong="problemAt('burst.above')"
        />
        <TextField v-model="form.burst.for" label="for" hint="5s" :wrong="problemAt('burst.for')" />
        <TextField
          v-model="form.burst.every"
          label="tick every"
          hint="200ms"
          :wrong="problemAt('burst.every')"
        />
        <TextField v-model="form.burst.last" label="lasts" hint="60s" :wrong="problemAt('burst.last')" />
      </div>
    </fieldset>
    <template #foot>
      <div class="min-w-0 grow text-needle [overflow-wrap:anywhere]" role="alert">
        <p v-if="isAsked">What was changed is not saved. Cancel or Esc once more discards it.</p>
        <p>{{ trouble }}</p>
        <p v-for="problem in elsewhere" :key="placeOf(problem)" class="text-2xs">
          {{ placeOf(problem) }}: {{ problem.detail }}
        </p>
      </div>
      <PillButton label="Cancel" keys="Esc" @press="close">Cancel</PillButton>
      <PillButton label="Save the plan" on :disabled="busy" @press="save">Save</PillButton>
    </template>
  </SheetDialog>
</template>
