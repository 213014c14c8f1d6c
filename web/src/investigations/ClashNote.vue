<script setup lang="ts">
import PillButton from '../ui/PillButton.vue'
import { labelOf } from './words'
import type { Clash, Draft } from './useDraft'

/** Two people wrote the same field: both stand here until one is chosen. */
const props = defineProps<{ draft: Draft }>()
const spelled = (value: Clash['mine']): string => {
  if (value === null || value === undefined || value === '') return '(nothing)'
  if (typeof value === 'string') return value
  return 'text' in value ? `${value.text} (${value.state})` : JSON.stringify(value)
}
/** Two texts can stand one under the other. */
const together = ({ mine, theirs }: Clash): string | null =>
  typeof mine === 'string' && typeof theirs === 'string' ? `${theirs}\n${mine}` : null
</script>

<template>
  <section
    v-for="clash in props.draft.clashes.value"
    :key="clash.path"
    class="border-l-2 border-needle bg-leaf px-4 py-2"
    role="alert"
    data-clash
  >
    <p class="font-semibold">
      Another person wrote “{{ labelOf(clash.path) }}” meanwhile. Nothing is lost: choose.
    </p>
    <dl class="mt-1 grid grid-cols-[5rem_1fr] gap-x-3">
      <dt class="text-soft">theirs</dt>
      <dd class="whitespace-pre-wrap [overflow-wrap:anywhere]" data-theirs>{{ spelled(clash.theirs) }}</dd>
      <dt class="text-soft">yours</dt>
      <dd class="whitespace-pre-wrap [overflow-wrap:anywhere]" data-mine>{{ spelled(clash.mine) }}</dd>
    </dl>
    <p class="mt-2 flex gap-2">
      <PillButton label="Let theirs stand" @press="draft.settle(clash, clash.theirs)">Theirs</PillButton>
      <PillButton label="Let yours stand" @press="draft.settle(clash, clash.mine)">Yours</PillButton>
      <PillButton
        v-if="together(clash) !== null"
        label="Keep both, one under the other"
        @press="draft.settle(clash, together(clash))"
        >Both</PillButton
      >
    </p>
  </section>
</template>
