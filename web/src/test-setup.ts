// jsdom lacks both; components only need them to exist.
class NoResizeObserver implements ResizeObserver {
  observe(): void {
    /* nothing is laid out in jsdom */
  }
  unobserve(): void {
    /* nothing is laid out in jsdom */
  }
  disconnect(): void {
    /* nothing is laid out in jsdom */
  }
}

globalThis.ResizeObserver = NoResizeObserver
window.matchMedia = (query: string): MediaQueryList => {
  const list = new EventTarget() as MediaQueryList
  return Object.assign(list, { matches: false, media: query, onchange: null })
}
