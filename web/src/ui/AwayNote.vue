<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, watch } from 'vue'
import { useHealth } from '../api/queries'

const { data, error } = useHealth()
const client = useQueryClient()

const sentence = computed(() => {
  if (!error.value)
    return data.value?.status === 'disk full'
      ? 'The disk of the database is full. What is recorded waits in the spools of the recorders, and all that is there can be read; make room, and it goes on by itself.'
      : null
  return error.value.status === 503
    ? 'The database is away. Recorders keep what they read in their spools; this page goes on by itself when it is back.'
    : 'The server does not answer. Is ./reditus still running? This page goes on by itself when it is back.'
})

watch(sentence, (now, before) => {
  if (!now && before) void client.invalidateQueries()
})
</script>

<template>
  <div role="status" aria-live="polite">
    <p v-if="sentence" class="hatched border-b border-rule-strong bg-leaf px-5 py-2 text-ink">
      <strong class="font-semibold text-needle">{{ error ? 'Away.' : 'Full.' }}</strong> {{ sentence }}
    </p>
  </div>
</template>
