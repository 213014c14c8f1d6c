<script setup lang="ts">
import { useZone } from '../usePreferences'
import { toMs } from '../model/instant'
import { computed, ref, toRef } from 'vue'
import type { Finding } from '../api/client'
import { useSaveVerdict, type VerdictState } from '../api/mutations'
import { spellInstant } from '../model/clock'
import PillButton from '../ui/PillButton.vue'
import TextField from '../ui/TextField.vue'
import { STATES } from './proof'

/** What people make of a finding: right, wrong for a reason, or a remark. */
interface Props {
  archiveId: string
  finding: Finding
}
const props = defineProps<Props>()
const zone = useZone()

const words = ref('')
const missing = ref('')
const verdict = useSaveVerdict(toRef(props, 'archiveId'))
const trouble = computed(() => missing.value || (verdict.error.value?.message ?? ''))

function say(state: VerdictState): void {
  const remark = words.value.trim()
  missing.value = state === 'dismissed' && !remark ? 'Say why, so that others can follow.' : ''
  if (missing.value) return
  verdict.mutate(
    { finding: props.finding, state, remark: remark || (state === 'confirmed' ? before() : '') },
    { onSuccess: () => (words.value = '') },
  )
}

/** Confirming keeps the remark that is there. */
const before = (): string => props.finding.verdict?.remark ?? ''
</script>

<template>
  <section data-verdict>
    <h3 class="font-semibold">Your assessment</h3>
    <p v-if="finding.verdict" class="mt-1">
      <b class="font-semibold">{{ STATES[finding.verdict.state] }}</b>
      {{ spellInstant(toMs(finding.verdict.decided), zone)
      }}<template v-if="finding.verdict.remark">: “{{ finding.verdict.remark }}”</template>
    </p>
    <TextField v-model="words" label="Reason or remark" :wrong="trouble" class="mt-1" />
    <div class="mt-2 flex flex-wrap gap-1.5">
      <PillButton
        label="Confirm this finding"
        :on="finding.verdict?.state === 'confirmed'"
        @press="say('confirmed')"
        >Confirm</PillButton
      >
      <PillButton
        label="Dismiss this finding, with a reason"
        :on="finding.verdict?.state === 'dismissed'"
        @press="say('dismissed')"
        >Dismiss</PillButton
      >
      <PillButton
        :label="words.trim() || !finding.verdict ? 'Remark, and leave it open' : 'Take back what was said'"
        :disabled="!words.trim() && !finding.verdict"
        @press="say('open')"
        >{{ words.trim() || !finding.verdict ? 'Remark' : 'Take back' }}</PillButton
      >
    </div>
  </section>
</template>
