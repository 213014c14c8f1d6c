/** What stands in the field that an event comes from. */
export const textOf = (event: Event): string =>
  event.target instanceof HTMLInputElement ||
  event.target instanceof HTMLSelectElement ||
  event.target instanceof HTMLTextAreaElement
    ? event.target.value
    : ''
