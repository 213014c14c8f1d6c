// @vitest-environment jsdom
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import './testing/browser'
import { readyPlan } from './model/layouts'
import { useHistory } from './useHistory'
import { useStrips } from './useStrips'
import { useWorkbench } from './useWorkbench'

const HOUR = 3_600_000
const ids = (board: ReturnType<typeof useStrips>): string[] => board.strips.map(({ plan }) => plan.id)

beforeEach(() => {
  localStorage.clear()
  setActivePinia(createPinia())
})

describe('what was changed', () => {
  it('is taken back and done again in its order, windows and strips alike', () => {
    const [bench, board, history] = [useWorkbench(), useStrips(), useHistory()]
    bench.open({ start: 0, end: 10 * HOUR }, { start: 0, end: 10 * HOUR }, null)
    board.open('disk', null, null)
    const before = ids(board)
    bench.look({ start: HOUR, end: 2 * HOUR })
    board.remove(board.strips[0]?.key ?? 0)
    board.choose('network')
    expect(history.undone).toBe('another layout')
    history.undo()
    expect([board.layout, ids(board)]).toEqual(['disk', before.slice(1)])
    history.undo()
    expect(ids(board)).toEqual(before)
    history.undo()
    expect(bench.window).toEqual({ start: 0, end: 10 * HOUR })
    expect(history.undone).toBeNull()
    history.redo()
    history.redo()
    expect(bench.window).toEqual({ start: HOUR, end: 2 * HOUR })
    expect(ids(board)).toEqual(before.slice(1))
    expect(history.redone).toBe('another layout')
  })

  it('leaves nothing to do again once something else was done', () => {
    const [board, history] = [useStrips(), useHistory()]
    board.open('disk', null, null)
    board.choose('network')
    history.undo()
    board.choose('memory')
    expect(history.redone).toBeNull()
  })

  it('is one change where an edge was dragged', () => {
    vi.useFakeTimers()
    const [board, history] = [useStrips(), useHistory()]
    board.open('disk', null, null)
    const [first] = board.strips
    for (const height of [100, 140, 180]) board.change(first?.key ?? 0, { height })
    history.undo()
    expect(board.strips[0]?.height).toBe(first?.height)
    expect(history.undone).toBeNull()
    vi.useRealTimers()
  })
})

describe('a change to a layout', () => {
  const plan = readyPlan('steal')

  it('is there again when one comes back to it', () => {
    const board = useStrips()
    board.open('disk', null, null)
    if (plan) board.add(plan)
    board.choose('network')
    board.choose('disk')
    expect(ids(board)[0]).toBe('steal')
    expect(board.isChanged).toBe(true)
    board.reset()
    board.choose('network')
    board.choose('disk')
    expect(board.isChanged).toBe(false)
  })

  it('is there again after the page was left', async () => {
    const board = useStrips()
    board.open(undefined, null, null)
    if (plan) board.add(plan)
    await nextTick()
    setActivePinia(createPinia())
    const again = useStrips()
    again.open(undefined, null, null)
    expect(ids(again)[0]).toBe('steal')
  })

  it('is no change any more once it was saved', () => {
    const board = useStrips()
    board.open('disk', null, null)
    if (plan) board.add(plan)
    board.became({ id: 'own', name: 'Nightly', host: null, strips: board.text.split(';') })
    expect([board.layout, board.own?.name, board.isChanged]).toEqual(['own', 'Nightly', false])
    board.choose('disk')
    expect(ids(board)[0]).not.toBe('steal')
    board.choose('own')
    expect(ids(board)[0]).toBe('steal')
  })
})

describe('a layout that was saved', () => {
  it('opens first where it was chosen to, and another does where it is gone', () => {
    const board = useStrips()
    board.saved = [{ id: 'own', name: 'Nightly', host: null, strips: ['steal', 'disk@top5~h180'] }]
    board.opensFirst = 'own'
    board.open(undefined, null, null)
    expect(ids(board)).toEqual(['steal', 'disk'])
    expect(board.strips[1]?.height).toBe(180)
    board.saved = []
    board.open(undefined, null, null)
    expect(board.layout).toBe('first')
  })
})
