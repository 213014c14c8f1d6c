import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { NOTHING_READ, type Reading } from './lines'

/** Which logs are read side by side, and what their lines have to hold. */
export const useReading = defineStore('reading', () => {
  const panes = ref<Reading['panes']>([...NOTHING_READ.panes])
  const holding = ref('')

  function open(next: Reading): void {
    panes.value = [...next.panes]
    holding.value = next.holding
  }

  function choose(pane: 0 | 1, log: string | null): void {
    panes.value = pane === 0 ? [log ?? '', panes.value[1]] : [panes.value[0], log]
  }

  return {
    panes,
    holding,
    now: computed<Reading>(() => ({ panes: panes.value, holding: holding.value })),
    open,
    choose,
  }
})
