import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { effectScope, nextTick, ref, shallowRef, type EffectScope } from 'vue'
import type { Archive, Diagnosis, SeriesSet } from '../api/client'
import type { Span } from '../model/span'
import { useWorkbench } from '../useWorkbench'
import { useMoves } from './useMoves'

const HOUR_MS = 3_600_000
const GAP = { start: HOUR_MS / 2, end: HOUR_MS / 2 + 60_000 }

/** Only its id matters to a move. */
const anArchive = (id: string): Archive => ({ id, interval_s: 1 }) as Archive

describe('a jump to a gap that is not known yet', () => {
  let scope: EffectScope
  const archive = shallowRef<Archive | undefined>()
  const gaps = ref<Span[] | null>(null)
  let moves: ReturnType<typeof useMoves>

  beforeEach(() => {
    setActivePinia(createPinia())
    useWorkbench().open({ start: 0, end: HOUR_MS }, { start: 0, end: HOUR_MS }, 0)
    archive.value = anArchive('one')
    gaps.value = null
    scope = effectScope()
    moves = scope.run(() =>
      useMoves(archive, ref<SeriesSet | undefined>(), ref<Diagnosis | undefined>(), gaps),
    ) as ReturnType<typeof useMoves>
    return () => {
      scope.stop()
    }
  })

  it('is made as soon as the gaps are known', async () => {
    moves.jumpGap(1)
    expect(useWorkbench().needle).toBe(0)
    gaps.value = [GAP]
    await nextTick()
    expect(useWorkbench().needle).toBe(GAP.start)
  })

  it('is not made in another archive', async () => {
    moves.jumpGap(1)
    archive.value = undefined
    await nextTick()
    archive.value = anArchive('another')
    gaps.value = [GAP]
    await nextTick()
    expect(useWorkbench().needle).toBe(0)
  })
})
