<script setup lang="ts">
import { computed } from 'vue'
import { LAYOUTS } from '../model/layouts'
import { spellAmount } from '../model/amounts'
import { spellInstant, spellOffset, spellZone } from '../model/clock'
import PillButton from '../ui/PillButton.vue'
import SheetDialog from '../ui/SheetDialog.vue'
import { useHostZone, usePreferences } from '../usePreferences'
import { useStrips } from '../useStrips'
import ChoiceRow from './ChoiceRow.vue'
import { useHints } from './useHints'
import { useSettings } from './useSettings'

/** Everything that is chosen once and for all, in one place. It holds at once, and is kept in this browser. */
const settings = useSettings()
const { clock, zone, light, links, prefixes, processor, reset } = usePreferences()
const hostZone = useHostZone()
const hints = useHints()
const board = useStrips()

const CLOCKS = computed(() => [
  { value: 'local' as const, label: 'this browser’s' },
  { value: 'UTC' as const, label: 'UTC' },
  {
    value: 'host' as const,
    label: hostZone.value ? `the host’s own (${spellZone(hostZone.value)})` : 'the host’s own',
  },
])
const clockNote = computed(() => {
  const now = Date.now()
  const missing =
    clock.value === 'host' && !hostZone.value
      ? 'No host is open that recorded its own clock: this browser’s is shown. '
      : ''
  return `${missing}Now ${spellInstant(now, zone.value)}, ${spellOffset(now, zone.value)}.`
})
const LIGHTS = [
  { value: 'system', label: 'as the system' },
  { value: 'day', label: 'day' },
  { value: 'night', label: 'night' },
] as const
const LINKS = [
  { value: 'bits', label: 'bits' },
  { value: 'bytes', label: 'bytes' },
] as const
const PREFIXES = [
  { value: 'usual', label: 'bytes by 1024, bits by 1000' },
  { value: 'SI', label: 'all by 1000 (SI)' },
  { value: 'IEC', label: 'all by 1024 (IEC)' },
] as const
const PROCESSOR = [
  { value: 'cores', label: 'cores' },
  { value: 'share', label: 'share of all cores' },
] as const
/** Of what is shown in these units, so that the choice is seen. */
const sample = computed(() =>
  [spellAmount(93.1e6, 'bits/s'), spellAmount(6.4 * 2 ** 30, 'bytes'), spellAmount(1.5, 'cores')].join(' · '),
)
const layouts = computed(() => [
  ...LAYOUTS.filter((layout) => layout.id !== 'device').map(({ id, title }) => ({ id, title })),
  ...board.saved.map(({ id, name }) => ({ id, title: name })),
])
const opensFirst = computed({
  get: () => (layouts.value.some(({ id }) => id === board.opensFirst) ? board.opensFirst : 'first'),
  set: (id: string) => {
    board.opensFirst = id
  },
})
</script>

<template>
  <SheetDialog title="Settings" width="max-w-xl" @close="settings.close()">
    <ChoiceRow v-model="clock" legend="Clock" :choices="CLOCKS" :note="clockNote" />
    <ChoiceRow v-model="light" legend="Theme" :choices="LIGHTS" />
    <ChoiceRow v-model="links" legend="Links in" :choices="LINKS" />
    <ChoiceRow v-model="prefixes" legend="Prefixes" :choices="PREFIXES" />
    <ChoiceRow
      v-model="processor"
      legend="Processor time in"
      :choices="PROCESSOR"
      :note="`Amounts read as ${sample}. Numbers are written as this browser writes them.`"
    />
    <label class="grid grid-cols-[9rem_1fr] items-baseline gap-x-4">
      <span class="text-soft">Opens first</span>
      <select v-model="opensFirst" class="border-b border-rule-strong bg-leaf py-0.5">
        <option v-for="layout in layouts" :key="layout.id" :value="layout.id">{{ layout.title }}</option>
      </select>
    </label>
    <div class="grid grid-cols-[9rem_1fr] items-baseline gap-x-4">
      <span class="text-soft">Hints</span>
      <button
        type="button"
        class="justify-self-start underline hover:text-needle disabled:no-underline disabled:opacity-50"
        :disabled="!hints.anyPutAway.value"
        @click="hints.showAgain()"
      >
        {{ hints.anyPutAway.value ? 'show them again' : 'all are shown' }}
      </button>
    </div>
    <template #foot>
      <button type="button" class="text-2xs text-soft underline hover:text-needle" @click="reset">
        clock, theme and units as at first
      </button>
      <PillButton class="ml-auto" label="Close the settings" keys="Esc" @press="settings.close()"
        >Close</PillButton
      >
    </template>
  </SheetDialog>
</template>
