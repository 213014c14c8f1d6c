<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useHealth } from '../api/queries'

const { data, error } = useHealth()
const client = useQueryClient()

const route = useRoute()

/** The first word, and what follows it. A part that is damaged or behind is said where archives are chosen, not over the strips. */
const note = computed<[string, string] | null>(() => {
  if (error.value)
    return error.value.status === 503
      ? ['Away.', 'Database unavailable. Recorders are buffering; this page reconnects by itself.']
      : [
          'Away.',
          'The server does not answer. Is ./reditus still running? This page goes on by itself when it is back.',
        ]
  const health = data.value
  if (health?.status === 'disk full')
    return [
      'Full.',
      'The disk of the database is full. What is recorded waits in the spools of the recorders, and all that is there can be read; make room, and it goes on by itself.',
    ]
  if (route.name === 'workbench') return null
  if (health?.status === 'damaged')
    return ['Damaged.', `${health.detail ?? ''}. Everything else can be read.`]
  if (health?.status === 'work overdue')
    return [
      'Behind.',
      `Background work is behind: ${health.detail ?? ''}. GET /api/health says which archives.`,
    ]
  return null
})
const sentence = computed(() => note.value?.[1] ?? null)

watch(sentence, (now, before) => {
  if (!now && before) void client.invalidateQueries()
})
</script>

<template>
  <div role="status" aria-live="polite">
    <p v-if="sentence" class="hatched border-b border-rule-strong bg-leaf px-5 py-2 text-ink">
      <strong class="font-semibold text-needle">{{ note?.[0] }}</strong> {{ sentence }}
    </p>
  </div>
</template>
