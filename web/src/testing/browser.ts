/** What jsdom lacks of a browser. */
const SIZE = { inlineSize: 600, blockSize: 100 }

/** Nothing is laid out in jsdom: everything is 600 by 100 pixels, and stays so. */
class FixedSizeObserver {
  constructor(private readonly callback: ResizeObserverCallback) {}
  observe(target: Element): void {
    const entry = {
      target,
      contentRect: { width: 600, height: 100 },
      contentBoxSize: [SIZE],
      borderBoxSize: [SIZE],
    }
    this.callback([entry as unknown as ResizeObserverEntry], this)
  }
  unobserve(): void {
    // nothing is kept
  }
  disconnect(): void {
    // nothing is kept
  }
}

if (typeof window !== 'undefined') {
  globalThis.ResizeObserver = FixedSizeObserver
  window.matchMedia = (query: string) =>
    Object.assign(new EventTarget(), {
      matches: false,
      media: query,
      onchange: null,
      addListener: () => undefined,
      removeListener: () => undefined,
    })
}
