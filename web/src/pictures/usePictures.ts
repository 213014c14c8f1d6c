import { useEventListener } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowReactive, type ComputedRef } from 'vue'
import { useZone } from '../usePreferences'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { drawPicture, type StripPicture } from './picture'

/** The strips on the page as they could be drawn, by their keys; each strip puts itself in. */
export const usePictures = defineStore('pictures', () => {
  const strips = shallowReactive(new Map<number, ComputedRef<StripPicture>>())
  /** What became of the last copy, in words. */
  const said = ref<string | null>(null)
  // It stands until something else is done.
  useEventListener(window, 'pointerdown', () => {
    said.value = null
  })
  return { strips, said }
})

export type Format = 'SVG' | 'PNG'

interface Handing {
  copy: (what: readonly number[], format: Format) => Promise<void>
  save: (what: readonly number[], format: Format) => Promise<void>
  copyText: (words: string, what: string) => Promise<void>
  all: ComputedRef<number[]>
}

/** Twice as fine as the page, so that it can be printed. */
const PIXELS = 2

/** Hand strips on as pictures, as they are on the page. */
export function usePictureOf(): Handing {
  const pictures = usePictures()
  const board = useStrips()
  const bench = useWorkbench()
  const zone = useZone()
  const { archive } = useSession()
  const named = (): { host: string; archive: string } => ({
    host: archive.value?.host.name ?? '',
    archive: archive.value?.name ?? '',
  })
  const all = computed(() =>
    board.strips.filter((strip) => !strip.folded && pictures.strips.has(strip.key)).map(({ key }) => key),
  )

  function drawn(keys: readonly number[]): string {
    const style = getComputedStyle(document.documentElement)
    const strips = keys.flatMap((key) => pictures.strips.get(key)?.value ?? [])
    const heading = { ...named(), window: bench.window ?? { start: 0, end: 1 }, zone: zone.value }
    return drawPicture(heading, strips, (name) => style.getPropertyValue(`--color-${name}`).trim())
  }
  async function blobOf(keys: readonly number[], format: Format): Promise<Blob> {
    const svg = drawn(keys)
    return format === 'SVG' ? new Blob([svg], { type: 'image/svg+xml' }) : painted(svg)
  }
  const nameOf = (keys: readonly number[]): string => {
    const titles = keys.flatMap((key) => pictures.strips.get(key)?.value.plan.title ?? [])
    const what = titles.length === 1 ? (titles[0] ?? '') : `${titles.length} strips`
    return `${named().host}, ${what}`
  }
  async function attempt(work: () => Promise<string>): Promise<void> {
    try {
      pictures.said = await work()
    } catch (error) {
      if (!(error instanceof Error)) throw error
      pictures.said = `That did not work: ${error.message}`
    }
  }
  return {
    all,
    copy: (keys, format) =>
      attempt(async () => {
        if (format === 'SVG') await navigator.clipboard.writeText(drawn(keys))
        else await navigator.clipboard.write([new ClipboardItem({ 'image/png': blobOf(keys, 'PNG') })])
        return `${nameOf(keys)}: copied as ${format}`
      }),
    save: (keys, format) =>
      attempt(async () => {
        saveAs(await blobOf(keys, format), `${nameOf(keys)}.${format.toLowerCase()}`)
        return `${nameOf(keys)}: saved as ${format}`
      }),
    copyText: (words, what) =>
      attempt(async () => {
        await navigator.clipboard.writeText(words)
        return `${what}: copied`
      }),
  }
}

/** A browser's download of a file made here. */
export function saveAs(blob: Blob, name: string): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name.replace(/[\\/:*?"<>|]/g, '_')
  link.click()
  URL.revokeObjectURL(link.href)
}

async function painted(svg: string): Promise<Blob> {
  const image = new Image()
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = image.naturalWidth * PIXELS
  canvas.height = image.naturalHeight * PIXELS
  canvas.getContext('2d')?.drawImage(image, 0, 0, canvas.width, canvas.height)
  return new Promise((resolve, reject) => {
    canvas.toBlob((blob) => {
      if (blob) resolve(blob)
      else reject(new Error('the picture is too large for this browser'))
    }, 'image/png')
  })
}
