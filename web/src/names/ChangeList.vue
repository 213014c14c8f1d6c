<script setup lang="ts">
import { spellInstant } from '../model/clock'
import { useZone } from '../usePreferences'
import type { Change } from './facts'

/** What became another about the host, the newest first. */
defineProps<{ changes: readonly Change[] }>()
const zone = useZone()
</script>

<template>
  <p v-if="!changes.length" class="text-soft">Nothing, since this archive began.</p>
  <ul v-else>
    <li v-for="change in changes" :key="change.at" class="border-t border-rule py-1">
      <span class="text-2xs text-soft">{{ spellInstant(change.at, zone) }}</span>
      <p v-for="line in change.lines" :key="line">{{ line }}</p>
    </li>
  </ul>
</template>
