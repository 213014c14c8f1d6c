import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import type { Pin } from '../api/client'
import { useInvestigations, useOpenInvestigation, usePin, useRemoveExhibit } from '../api/investigations'

/** What became of the last pinning. */
interface Said {
  words: string
  /** Where it can be looked at, and taken back. */
  pinned: { investigation: string; exhibit: string } | null
}

/** Pins what is on screen into the investigation that is worked on; where there is none, one is requested first. */
export const usePinning = defineStore('pinning', () => {
  const chosen = useLocalStorage<string | null>('reditus.investigation', null)
  const waiting = ref<Pin | null>(null)
  const said = ref<Said | null>(null)
  const { data: every } = useInvestigations()
  const [pinned, opened, removed] = [usePin(), useOpenInvestigation(), useRemoveExhibit()]
  /** Those that can be written on. */
  const open = computed(() => (every.value ?? []).filter((item) => item.origin === null))
  const current = computed(() => open.value.find((item) => item.id === chosen.value) ?? null)

  async function into(investigation: string, question: string, pin: Pin): Promise<void> {
    chosen.value = investigation
    waiting.value = null
    said.value = { words: 'Pinning …', pinned: null }
    try {
      const exhibit = crypto.randomUUID()
      const made = await pinned.mutateAsync({ investigation, exhibit, pin })
      said.value = {
        words: `Exhibit ${made.number} of “${question || 'an investigation without a question'}”: ${made.title}`,
        pinned: { investigation, exhibit },
      }
    } catch (error) {
      if (!(error instanceof Error)) throw error
      said.value = { words: `Not pinned: ${error.message}`, pinned: null }
    }
  }
  /** Pin at once, or ask into which investigation. */
  function pin(what: Pin): void {
    if (current.value) void into(current.value.id, current.value.fields.question ?? '', what)
    else waiting.value = what
  }
  async function intoNew(question: string, what: Pin): Promise<void> {
    const id = crypto.randomUUID()
    try {
      await opened.mutateAsync({ id, fields: { question, hosts: [what.archive] } })
    } catch (error) {
      if (!(error instanceof Error)) throw error
      said.value = { words: `Not begun: ${error.message}`, pinned: null }
      return
    }
    await into(id, question, what)
  }
  async function takeBack(): Promise<void> {
    const last = said.value?.pinned
    if (!last) return
    try {
      await removed.mutateAsync(last)
      said.value = { words: 'Taken back.', pinned: null }
    } catch (error) {
      if (!(error instanceof Error)) throw error
      said.value = { words: `Not taken back: ${error.message}`, pinned: null }
    }
  }
  function say(words: string): void {
    said.value = { words, pinned: null }
  }
  return { chosen, current, open, waiting, said, pin, into, intoNew, takeBack, say }
})
