// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { mounted, Refusal } from '../testing/mount'
import { aPlan, aRecorder, at, START } from '../testing/samples'
import RecordersView from '../views/RecordersView.vue'
import PlanDialog from './PlanDialog.vue'
import RecorderRow from './RecorderRow.vue'

const GROUPS = [
  { name: 'cpu', title: 'Processor time' },
  { name: 'process', title: 'The heaviest processes' },
]
const ID = aRecorder().id

describe('a recorder', () => {
  const row = (more = {}): object => ({
    recorder: aRecorder(more),
    plans: [aPlan()],
    now: START + 61 * 60_000,
  })

  it('tells its health in figures with units', async () => {
    const { text } = await mounted(RecorderRow, { props: row() })
    for (const part of [
      '1 min ago',
      '3,600',
      '0.4 ms',
      '0.37 % of a core',
      '40.0 MiB',
      'the recorder came late',
    ])
      expect(text().replaceAll('\u00a0', ' ')).toContain(part)
  })

  it('is silent in words, and takes no orders then', async () => {
    const { text, button } = await mounted(RecorderRow, { props: row({ state: 'silent' }) })
    expect(text()).toContain('silent')
    expect(button('Stop morning')).toHaveProperty('disabled', true)
    expect(button('Forget morning')).toHaveProperty('disabled', false)
  })

  it('tells what it dropped, from when to when', async () => {
    const recorder = aRecorder()
    recorder.report.dropped = [{ start: at(1), end: at(2), reason: 'spool full' }]
    const { text } = await mounted(RecorderRow, { props: { recorder, plans: [], now: START } })
    expect(text()).toContain('spool full')
  })
})

describe('the page of recorders', () => {
  const answers = {
    'GET /api/recorders': [aRecorder()],
    'GET /api/plans': [aPlan({ recorders: ['stitch-01: morning'] })],
    'GET /api/plans/groups': GROUPS,
  }

  it('says of each plan what it records', async () => {
    const { text } = await mounted(RecordersView, { answers })
    expect(text()).toContain(
      'a tick every 5s · kept for ever · without process · followed by stitch-01: morning',
    )
  })

  it('sends orders', async () => {
    const { press, sent } = await mounted(RecordersView, { answers })
    await press('Stop morning')
    await press('Burst 1 min')
    expect(sent.map(({ method, path, body }) => [method, path, body])).toEqual([
      ['PATCH', `/api/recorders/${ID}`, { recording: false }],
      ['PATCH', `/api/recorders/${ID}`, { burst_s: 60 }],
    ])
  })

  it('says why an order was refused, until the next one', async () => {
    const refused: Record<string, unknown> = {
      ...answers,
      [`PATCH /api/recorders/${ID}`]: new Refusal(409, 'it is away'),
    }
    const { press, page } = await mounted(RecordersView, { answers: refused })
    await press('Stop morning')
    expect(page.find('[role=alert]').text()).toBe('it is away')
    refused[`PATCH /api/recorders/${ID}`] = aRecorder()
    await press('Stop morning')
    expect(page.find('[role=alert]').exists()).toBe(false)
  })

  it('has a place for those who recorded nothing yet', async () => {
    const { text } = await mounted(RecordersView, { answers: { ...answers, 'GET /api/recorders': [] } })
    expect(text()).toContain('No recorder')
  })
})

describe('the form of a plan', () => {
  const open = (plan: object | null, answers = {}): ReturnType<typeof mounted> =>
    mounted(PlanDialog, { props: { plan, groups: GROUPS, open: true }, answers })

  it('sends what was typed', async () => {
    const { sent, press } = await open({ name: 'lean', every: '5s' })
    await press('Save the plan')
    expect(sent).toEqual([{ method: 'PUT', path: '/api/plans/lean', body: { name: 'lean', every: '5s' } }])
  })

  it('marks what the server found wrong at its place, and keeps what was typed', async () => {
    const { press, text } = await open(
      { name: 'lean', every: 'never' },
      {
        'PUT /api/plans/lean': new Refusal(422, 'two parts are wrong', [
          { pointer: '#/every', detail: 'a duration, such as 5s' },
          { pointer: '#/surprise', detail: 'not known' },
        ]),
      },
    )
    await press('Save the plan')
    expect(text()).toContain('a duration, such as 5s')
    expect(text()).toContain('see the marked places')
    expect(text()).toContain('surprise')
    const every = document.querySelector<HTMLInputElement>('[aria-invalid=true]')
    expect(every?.value).toBe('never')
  })

  it('adds hours of the week', async () => {
    const { sent, press } = await open({ name: 'lean' })
    await press('all week; choose hours')
    await press('Save the plan')
    await flushPromises()
    expect(sent[0]?.body).toMatchObject({
      when: { weekly: [{ days: ['mon', 'tue', 'wed', 'thu', 'fri'], from: '08:00', to: '18:00' }] },
    })
  })

  it('asks before what was changed is discarded', async () => {
    const { press, text } = await open({ name: 'lean' })
    await press('all week; choose hours')
    await press('Cancel')
    expect(text()).toContain('is not saved')
  })
})
