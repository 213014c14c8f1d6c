<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { computed } from 'vue'
import { useSession } from '../workbench/session'

/** What the diagnosis could not judge: with much of it, an empty list of findings is no sign of health. */
const { judgement } = useSession()
const unjudged = computed(() => judgement.diagnosis.value?.unjudged ?? [])
const isAllThereIs = computed(() => !judgement.findings.value.length)
</script>

<template>
  <Disclosure
    v-if="unjudged.length"
    :key="String(isAllThereIs)"
    v-slot="{ open }"
    :default-open="isAllThereIs"
    as="section"
    class="mt-3 border-t border-rule-strong pt-2 pb-4"
    data-unjudged
  >
    <DisclosureButton class="flex w-full items-baseline justify-between gap-2 text-left">
      <span class="font-semibold">Not judged</span>
      <span class="text-soft">{{ open ? 'hide' : `${unjudged.length} · show` }}</span>
    </DisclosureButton>
    <DisclosurePanel>
      <p class="mt-1 text-soft">What was not recorded, or whose normal is not known, may hide more.</p>
      <ul class="mt-2 space-y-2">
        <li
          v-for="item in unjudged"
          :key="item.subject"
          class="border-l-[3px] wrap-anywhere border-dotted border-rule-strong pl-3"
        >
          <span class="font-semibold">{{ item.subject }}</span>
          <span class="block text-soft">{{ item.reason }}</span>
        </li>
      </ul>
    </DisclosurePanel>
  </Disclosure>
</template>
