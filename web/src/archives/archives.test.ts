// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { mounted, Refusal } from '../testing/mount'
import { aFinding, anArchive, at } from '../testing/samples'
import ArchivesView from '../views/ArchivesView.vue'
import ArchiveDialog from './ArchiveDialog.vue'

const ID = anArchive().id
const PATH = `/api/archives/${ID}`

describe('the page of archives', () => {
  it('lists archives by host, with their length and state', async () => {
    const archives = [
      anArchive(),
      anArchive({ id: 'b', name: 'empty', start: null, end: null }),
      anArchive({ id: 'c', name: 'hurt', damaged_blocks: 2, protected: true }),
    ]
    const { text } = await mounted(ArchivesView, { answers: { 'GET /api/archives': archives } })
    for (const part of ['stitch-01', 'morning', '1 h', '2 damaged', 'protected'])
      expect(text()).toContain(part)
  })

  it('takes a deletion back', async () => {
    const archive = anArchive({ deleted: at(60) })
    const { press, sent, text } = await mounted(ArchivesView, {
      answers: { 'GET /api/archives': [archive], [`POST ${PATH}/restore`]: archive },
    })
    await press('Take back')
    expect(sent[0]).toMatchObject({ method: 'POST', path: `${PATH}/restore` })
    expect(text()).toContain('morning is there again.')
  })

  it('says how to get a first archive', async () => {
    const { text } = await mounted(ArchivesView, { answers: { 'GET /api/archives': [] } })
    expect(text()).toContain('./reditus')
  })
})

describe('a host at a glance', () => {
  const finding = aFinding()
  const diagnosis = {
    host: 'stitch-01',
    window: { from: at(0), to: at(60), coverage: 1 },
    findings: [finding],
    ruled_out: [],
    unjudged: [],
  }
  const answers = (found: object): Record<string, unknown> => ({
    'GET /api/archives': [anArchive()],
    [`GET ${PATH}/diagnosis`]: found,
    [`GET ${PATH}/strain`]: { start: at(0), bin_s: 60, rows: [] },
  })

  it('names the worst of its last day, and leads there', async () => {
    const { page, text } = await mounted(ArchivesView, { answers: answers(diagnosis) })
    expect(text().replace(/\s/g, ' ')).toContain('Disk saturated, sdb, 10 min of stall time')
    const href = page.find('[data-host-finding]').attributes('href')
    // One tick after the onset: at the onset itself stands the last healthy one.
    expect(decodeURIComponent(href ?? '')).toContain('at=2026-11-12T09:10:01Z')
  })

  it('says that nothing was found', async () => {
    const { text } = await mounted(ArchivesView, { answers: answers({ ...diagnosis, findings: [] }) })
    expect(text()).toContain('no findings in its last day')
  })

  it('says that it could not be judged', async () => {
    const { text } = await mounted(ArchivesView, { answers: answers(new Refusal(422, 'nothing to judge')) })
    expect(text()).toContain('cannot be judged: nothing to judge')
  })

  it('puts the host that was hit hardest first', async () => {
    const other = anArchive({ id: '33333333-3333-4333-8333-333333333333', host: { id: 'h', name: 'aaa' } })
    const { page } = await mounted(ArchivesView, {
      answers: { ...answers(diagnosis), 'GET /api/archives': [other, anArchive()] },
    })
    await flushPromises()
    const names = page.findAll('[data-host]').map((host) => host.attributes('data-host'))
    expect(names).toEqual(['stitch-01', 'aaa'])
  })
})

describe('one archive', () => {
  const props = { archive: anArchive() }
  const gaps = {
    [`GET ${PATH}/gaps`]: {
      gaps: [{ start: at(5), end: at(6), reason: 'server away' }],
      total: 1,
      seconds: 60,
    },
  }

  it('tells what it holds, and its gaps with their reasons', async () => {
    const { text } = await mounted(ArchiveDialog, { props, answers: gaps })
    for (const part of ['3,600 of 812 counters', '99.80 %', 'server away']) expect(text()).toContain(part)
  })

  it('keeps a name and notes', async () => {
    const { press, sent } = await mounted(ArchiveDialog, {
      props,
      answers: { ...gaps, [`PATCH ${PATH}`]: anArchive() },
    })
    await press('Save name and notes')
    expect(sent).toEqual([{ method: 'PATCH', path: PATH, body: { name: 'morning', notes: '' } }])
  })

  it('copies a stretch', async () => {
    const { press, sent } = await mounted(ArchiveDialog, {
      props,
      answers: { ...gaps, [`POST ${PATH}/copies`]: anArchive({ name: 'part', ticks: 60 }) },
    })
    await press('Copy it')
    expect(sent[0]?.body).toEqual({ from: at(0), to: at(60), name: 'part of morning' })
  })

  it('is protected and no longer', async () => {
    const { page, sent } = await mounted(ArchiveDialog, {
      props,
      answers: { ...gaps, [`PATCH ${PATH}`]: anArchive({ protected: true }) },
    })
    document.querySelector<HTMLInputElement>('input[type=checkbox]')?.click()
    await flushPromises()
    expect(page.exists()).toBe(true)
    expect(sent[0]?.body).toEqual({ protected: true })
  })

  it('says why something was refused', async () => {
    const { press, text } = await mounted(ArchiveDialog, {
      props,
      answers: { ...gaps, [`PATCH ${PATH}`]: new Refusal(422, 'a name has 1 to 120 characters') },
    })
    await press('Save name and notes')
    expect(text()).toContain('a name has 1 to 120 characters')
  })
})
