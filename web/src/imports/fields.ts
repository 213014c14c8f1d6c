import type { InjectionKey } from 'vue'

/** What stands in the field that an event comes from. */
export const textOf = (event: Event): string =>
  event.target instanceof HTMLInputElement ||
  event.target instanceof HTMLSelectElement ||
  event.target instanceof HTMLTextAreaElement
    ? event.target.value
    : ''

/** The id of the list of counters that fields suggest from. */
export const CATALOGUE: InjectionKey<string> = Symbol('catalogue')
