<script setup lang="ts">
import { useZone } from '../usePreferences'
import { computed, ref } from 'vue'
import { useMeasures } from '../api/queries'
import { scaleFor, spellAmount } from '../model/amounts'
import { spellInstant } from '../model/clock'
import MomentHead from './MomentHead.vue'
import { differences } from './difference'
import type { Readings } from './readings'

/** What differs between the pinned moment and this one. */
const props = defineProps<{ then: Readings; now: Readings; at: number; ofReference?: boolean }>()
const emit = defineEmits<{ unpin: []; go: [] }>()

const SHOWN = 8
const zone = useZone()
const { data: measures } = useMeasures()
const isWhole = ref(false)
const found = computed(() =>
  differences(measures.value ?? [], props.then, props.now).map((item) => ({
    ...item,
    scale: scaleFor(item.unit, Math.max(Math.abs(item.then), Math.abs(item.now))),
  })),
)
const shown = computed(() => (isWhole.value ? found.value : found.value.slice(0, SHOWN)))
</script>

<template>
  <section class="border-y border-rule-strong py-2" data-difference>
    <MomentHead title="What differs" note="most first" />
    <p class="text-2xs text-soft">
      <template v-if="ofReference"
        >from the reference’s moment, {{ spellInstant(at, zone) }}, to this one</template
      >
      <template v-else>
        from
        <button type="button" class="underline hover:text-needle" title="Go there" @click="emit('go')">
          {{ spellInstant(at, zone) }}
        </button>
        to this moment ·
        <button type="button" class="underline hover:text-needle" @click="emit('unpin')">unpin</button>
      </template>
    </p>
    <table class="mt-1 w-full text-2xs">
      <tbody>
        <tr v-for="row in shown" :key="row.name" class="border-t border-rule" :data-differs="row.name">
          <td class="max-w-28 truncate py-0.5" :title="row.name">{{ row.title }}</td>
          <td class="text-right whitespace-nowrap text-soft">
            {{ spellAmount(row.then, row.unit, row.scale) }}
          </td>
          <td class="px-1 text-center" aria-label="became">{{ row.now > row.then ? '↗' : '↘' }}</td>
          <td class="text-right whitespace-nowrap">{{ spellAmount(row.now, row.unit, row.scale) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="!found.length" class="text-2xs">Nothing that matters.</p>
    <button
      v-if="found.length > SHOWN"
      type="button"
      class="text-2xs text-soft underline hover:text-ink"
      @click="isWhole = !isWhole"
    >
      {{ isWhole ? 'fewer' : `${found.length - SHOWN} more` }}
    </button>
  </section>
</template>
