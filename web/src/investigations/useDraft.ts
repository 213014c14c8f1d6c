import { onScopeDispose, ref, watch, type Ref } from 'vue'
import { ApiError, type Fields, type Hypothesis, type Investigation } from '../api/client'
import { useChangeInvestigation } from '../api/investigations'

/** Fields of which each part is changed by itself. */
type Parted = 'hypotheses' | 'captions'
type Plain = Exclude<keyof Fields, Parted>
type Value = Fields[Plain] | Hypothesis | string

/** What another person wrote meanwhile, where one wrote oneself. */
export interface Clash {
  /** As `captions/ID`, or the name of a field. */
  path: string
  theirs: Value
  mine: Value
}

const WAIT_MS = 700

/** A field's value by its path, in fields as the server has them. */
export function valueAt(fields: Fields, path: string): Value {
  const [name = '', key] = path.split('/')
  if (key === undefined) return fields[name as Plain] ?? null
  return fields[name as Parted]?.[key] ?? null
}

/** The same values as the server takes them. */
export function fieldsOf(values: ReadonlyMap<string, Value>): Fields {
  const out: Record<string, unknown> = {}
  for (const [path, value] of values) {
    const [name = '', key] = path.split('/')
    if (key === undefined) out[name] = value
    else out[name] = { ...(out[name] as object | undefined), [key]: value }
  }
  return out
}

/** Every path that fields hold. */
export function pathsOf(fields: Fields): string[] {
  return Object.entries(fields).flatMap(([name, value]) =>
    (name === 'hypotheses' || name === 'captions') && value
      ? Object.keys(value as object).map((key) => `${name}/${key}`)
      : [name],
  )
}

export interface Draft {
  /** What a field is: as one wrote it, else as it is kept. */
  value: (path: string) => Value
  text: (path: string) => string
  set: (path: string, value: Value) => void
  /** Write at once what waits. */
  flush: () => Promise<void>
  saving: Ref<boolean>
  waiting: Ref<ReadonlyMap<string, Value>>
  clashes: Ref<Clash[]>
  trouble: Ref<string>
  settle: (clash: Clash, value: Value) => void
}

/**
 * What is written in an investigation, kept as one writes. The server refuses a field that another person changed since it was
 * read; then both stand side by side until one is chosen, and nothing of either is lost.
 */
export function useDraft(id: Ref<string>, kept: Ref<Investigation | undefined>): Draft {
  const change = useChangeInvestigation(id)
  const waiting = ref(new Map<string, Value>()) as Ref<Map<string, Value>>
  /** The version in which each waiting field was read. */
  const bases = new Map<string, number>()
  const clashes = ref<Clash[]>([]) as Ref<Clash[]>
  const trouble = ref('')
  const saving = ref(false)
  let timer: ReturnType<typeof setTimeout> | null = null

  const value = (path: string): Value =>
    waiting.value.has(path) ? (waiting.value.get(path) ?? null) : valueAt(kept.value?.fields ?? {}, path)
  const text = (path: string): string => {
    const found = value(path)
    return typeof found === 'string' ? found : ''
  }
  function set(path: string, now: Value): void {
    if (!bases.has(path)) bases.set(path, kept.value?.version ?? 0)
    waiting.value = new Map(waiting.value).set(path, now)
    later()
  }
  function later(): void {
    if (timer !== null) clearTimeout(timer)
    timer = setTimeout(() => void flush(), WAIT_MS)
  }
  async function flush(): Promise<void> {
    if (timer !== null) clearTimeout(timer)
    timer = null
    if (saving.value) {
      later()
      return
    }
    const blocked = new Set(clashes.value.map(({ path }) => path))
    const sent = new Map([...waiting.value].filter(([path]) => !blocked.has(path)))
    if (!sent.size) return
    const version = Math.min(...[...sent.keys()].map((path) => bases.get(path) ?? 0))
    saving.value = true
    try {
      await change.mutateAsync({ version, fields: fieldsOf(sent) })
      trouble.value = ''
      // What was written on meanwhile still waits.
      const rest = new Map(
        [...waiting.value].filter(([path, now]) => !sent.has(path) || sent.get(path) !== now),
      )
      for (const path of sent.keys()) bases.delete(path)
      for (const path of rest.keys()) if (!bases.has(path)) bases.set(path, kept.value?.version ?? version)
      waiting.value = rest
      if (rest.size) later()
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      if (error.status === 409 && error.more['fields']) clashed(error.more['fields'], sent)
      else trouble.value = error.message
    } finally {
      saving.value = false
    }
  }
  function clashed(theirs: Fields, sent: Map<string, Value>): void {
    const paths = pathsOf(theirs)
    clashes.value = [
      ...clashes.value.filter(({ path }) => !paths.includes(path)),
      ...paths.map((path) => ({ path, theirs: valueAt(theirs, path), mine: sent.get(path) ?? null })),
    ]
    // What no other person touched goes on its way.
    if ([...sent.keys()].some((path) => !paths.includes(path))) later()
  }
  /** One of both, or both together: that is what stands. */
  function settle({ path }: Clash, chosen: Value): void {
    clashes.value = clashes.value.filter((clash) => clash.path !== path)
    bases.set(path, kept.value?.version ?? 0)
    waiting.value = new Map(waiting.value).set(path, chosen)
    later()
  }
  watch(id, () => {
    waiting.value = new Map()
    clashes.value = []
    bases.clear()
  })
  onScopeDispose(() => void flush())
  return { value, text, set, flush, saving, waiting, clashes, trouble, settle }
}
