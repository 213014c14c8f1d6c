// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import type { CaseEvent, Hypothesis, Investigation } from '../api/client'
import { mounted, Refusal } from '../testing/mount'
import { lanesOf } from './lanes'
import { moved, placed } from './order'
import { hypothesesOf, stanceOf } from './stances'
import { fieldsOf, pathsOf, useDraft, valueAt, type Draft } from './useDraft'
import { labelOf } from './words'

const hypothesis = (more: Partial<Hypothesis> = {}): Hypothesis => ({
  text: 'a leak',
  state: 'open',
  supporting: [],
  opposing: [],
  place: 0,
  finding: '',
  ...more,
})
const anInvestigation = (more: Partial<Investigation> = {}): Investigation => ({
  id: '5b0e3f2e-0f52-4c1c-9d53-2f3b8a4f0c11',
  version: 3,
  fields: { question: 'Why?', noticed: 'readers' },
  keeps: false,
  origin: null,
  created: '2026-11-13T09:40:00Z',
  changed: '2026-11-13T09:40:00Z',
  exhibits: 0,
  ...more,
})
const PATH = 'PATCH /api/investigations/5b0e3f2e-0f52-4c1c-9d53-2f3b8a4f0c11'

describe('the order of exhibits', () => {
  it('moves one by places, within the list', () => {
    expect(moved(['a', 'b', 'c'], 'b', -1)).toEqual(['b', 'a', 'c'])
    expect(moved(['a', 'b', 'c'], 'a', 9)).toEqual(['b', 'c', 'a'])
    expect(moved(['a', 'b'], 'x', 1)).toEqual(['a', 'b'])
  })
  it('puts one where another stood', () => {
    expect(placed(['a', 'b', 'c'], 'a', 'c')).toEqual(['b', 'c', 'a'])
    expect(placed(['a', 'b', 'c'], 'c', 'a')).toEqual(['c', 'a', 'b'])
    expect(placed(['a', 'b'], 'a', 'a')).toEqual(['a', 'b'])
  })
})

describe('hypotheses', () => {
  it('stand in their order, without those that were removed', () => {
    const fields = {
      hypotheses: { b: hypothesis({ place: 1 }), a: hypothesis({ place: 2 }), gone: null },
    }
    expect(hypothesesOf(fields).map(([id]) => id)).toEqual(['b', 'a'])
  })
  it('say what an exhibit is to them', () => {
    const one = hypothesis({ supporting: ['x'], opposing: ['y'] })
    expect(['x', 'y', 'z'].map((exhibit) => stanceOf(one, exhibit))).toEqual(['for', 'against', 'context'])
  })
})

describe('events on one axis', () => {
  const event = (start: number, end: number): CaseEvent => ({
    what: 'exhibit',
    archive: null,
    start: `2026-11-13T0${start}:00:00Z`,
    end: `2026-11-13T0${end}:00:00Z`,
    text: '',
    host: '',
    number: start,
    resource: null,
    id: `${start}`,
  })
  it('take as few rows as it takes for none to cover another', () => {
    const lanes = lanesOf([event(3, 6), event(1, 4), event(4, 5), event(6, 7)])
    expect(lanes.map((lane) => lane.map(({ number }) => number))).toEqual([[1, 4, 6], [3]])
  })
})

describe('fields by their paths', () => {
  it('are read, named and put together', () => {
    const fields = { question: 'Why?', captions: { a: 'one' }, hypotheses: { h: hypothesis() } }
    expect(pathsOf(fields)).toEqual(['question', 'captions/a', 'hypotheses/h'])
    expect(valueAt(fields, 'captions/a')).toBe('one')
    expect(valueAt(fields, 'captions/b')).toBeNull()
    expect(
      fieldsOf(
        new Map([
          ['noticed', 'x'],
          ['captions/a', 'two'],
          ['captions/b', 'three'],
        ]),
      ),
    ).toEqual({ noticed: 'x', captions: { a: 'two', b: 'three' } })
  })
  it('have names that people know', () => {
    expect(['noticed', 'captions/x', 'hypotheses/y', 'answer'].map(labelOf)).toEqual([
      'noticed by',
      'a caption',
      'a hypothesis',
      'the answer',
    ])
  })
})

describe('what is written', () => {
  async function draftOf(
    answer: unknown,
    kept = anInvestigation(),
  ): Promise<{ draft: Draft; sent: { body: unknown }[] }> {
    const made: Draft[] = []
    const Holder = defineComponent({
      setup() {
        made.push(useDraft(ref(kept.id), ref(kept)))
        return () => h('i')
      },
    })
    const { sent } = await mounted(Holder, { answers: { [PATH]: answer } })
    const [draft] = made
    if (!draft) throw new Error('nothing was mounted')
    return { draft, sent }
  }

  it('is shown at once and kept with the version that it was read in', async () => {
    const { draft, sent } = await draftOf(anInvestigation({ version: 4 }))
    draft.set('noticed', 'readers and the library')
    expect(draft.text('noticed')).toBe('readers and the library')
    expect(draft.text('question')).toBe('Why?')
    await draft.flush()
    expect(sent[0]?.body).toEqual({ version: 3, fields: { noticed: 'readers and the library' } })
    expect(draft.waiting.value.size).toBe(0)
  })

  it('is not lost where another person wrote the same field: both stand until one is chosen', async () => {
    const refusal = new Refusal(409, 'another person changed noticed', [], {
      version: 4,
      fields: { noticed: 'the night shift' },
    })
    const { draft, sent } = await draftOf(refusal)
    draft.set('noticed', 'the library')
    draft.set('since', 'six')
    await draft.flush()
    expect(draft.clashes.value).toEqual([{ path: 'noticed', theirs: 'the night shift', mine: 'the library' }])
    expect(draft.text('noticed')).toBe('the library')
    // The rest goes on its way, and what clashes waits.
    await draft.flush()
    expect(sent.at(-1)?.body).toEqual({ version: 3, fields: { since: 'six' } })
    const [clash] = draft.clashes.value
    if (!clash) throw new Error('there is a clash')
    draft.settle(clash, 'the night shift\nthe library')
    expect(draft.clashes.value).toEqual([])
    expect(draft.text('noticed')).toBe('the night shift\nthe library')
  })

  it('says what went wrong, and keeps what was written', async () => {
    const { draft } = await draftOf(new Refusal(503, 'the database is away'))
    draft.set('noticed', 'x')
    await draft.flush()
    await flushPromises()
    expect(draft.trouble.value).toBe('the database is away')
    expect(draft.text('noticed')).toBe('x')
  })
})
