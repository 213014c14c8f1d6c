<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, ApiError, done, type Finding } from '../api/client'
import { diagnosisKey } from '../api/queries'
import { spellTime, type Zone } from '../model/clock'
import PillButton from '../ui/PillButton.vue'
import TextField from '../ui/TextField.vue'
import { STATES } from './proof'

/** What people make of a finding: right, wrong for a reason, or a remark. */
interface Props {
  archiveId: string
  finding: Finding
  zone: Zone
}
const props = defineProps<Props>()

type State = keyof typeof STATES
const queries = useQueryClient()
const words = ref('')
const trouble = ref('')

async function say(state: State): Promise<void> {
  const remark = words.value.trim()
  if (state === 'dismissed' && !remark) {
    trouble.value = 'Say why, so that others can follow.'
    return
  }
  trouble.value = ''
  const { kind, device, start, end } = props.finding
  try {
    await done(
      api.PUT('/api/archives/{archive_id}/verdicts', {
        params: { path: { archive_id: props.archiveId } },
        body: { kind, device, start, end, state, remark: remark || (state === 'confirmed' ? before() : '') },
      }),
    )
    words.value = ''
    await queries.invalidateQueries({ queryKey: diagnosisKey(props.archiveId) })
  } catch (why) {
    if (!(why instanceof ApiError)) throw why
    trouble.value = why.message
  }
}

/** Confirming keeps the remark that is there. */
const before = (): string => props.finding.verdict?.remark ?? ''
</script>

<template>
  <section data-verdict>
    <h3 class="font-semibold">What do you make of it?</h3>
    <p v-if="finding.verdict" class="mt-1">
      <b class="font-semibold">{{ STATES[finding.verdict.state] }}</b>
      {{ spellTime(Date.parse(finding.verdict.decided), zone)
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
