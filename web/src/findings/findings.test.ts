// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { Diagnosis } from '../api/client'
import { mounted, Refusal } from '../testing/mount'
import { aFinding, aMeasure, anArchive, aRuledOut, at } from '../testing/samples'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import FindingList from './FindingList.vue'
import FindingVerdict from './FindingVerdict.vue'
import NotJudged from './NotJudged.vue'
import RuledOutList from './RuledOutList.vue'
import SidePanel from './SidePanel.vue'

const diagnosis = (...findings: Diagnosis['findings']): Diagnosis => ({
  host: 'stitch-01',
  window: { from: at(0), to: at(60), coverage: 1 },
  findings,
  ruled_out: [aRuledOut()],
  unjudged: [],
})
const VERDICTS = `PUT /api/archives/${anArchive().id}/verdicts`

describe('the list of findings', () => {
  it('says that none is there, and where to look then', async () => {
    const { text } = await mounted(FindingList, { diagnosis: diagnosis() })
    expect(text()).toContain('No findings')
    expect(text()).toContain('Ruled out')
  })

  it('lists the times of what came on several days, and goes to the one pressed', async () => {
    const occurrences = [
      { start: at(10), end: at(12) },
      { start: at(24 * 60 + 10), end: at(24 * 60 + 12) },
    ]
    const daily = aFinding({ pattern: { kind: 'days', period_s: null }, occurrences })
    const { text, session, page } = await mounted(FindingList, {
      diagnosis: diagnosis(daily),
      answers: { 'GET /api/measures': [aMeasure()] },
    })
    expect(text()).toContain('2 times')
    useWorkbench().selected = daily.id
    await flushPromises()
    expect(text()).toContain('Top processes by bytes written')
    await page.findAll('[data-occurrence]')[1]?.trigger('click')
    expect(session.moves.findTime).toHaveBeenCalledWith(daily.id, occurrences[1])
  })

  it('goes to the one that is pressed', async () => {
    const { session, press } = await mounted(FindingList, { diagnosis: diagnosis(aFinding()) })
    await press('Disk saturated')
    expect(session.moves.find).toHaveBeenCalledWith('disk.saturated/sdb/1')
  })

  it('opens the selected one to its evidence, its top processes and next steps', async () => {
    const { text } = await mounted(FindingList, {
      diagnosis: diagnosis(aFinding()),
      answers: { 'GET /api/measures': [aMeasure()] },
    })
    expect(text()).not.toContain('Top processes')
    useWorkbench().selected = 'disk.saturated/sdb/1'
    await flushPromises()
    for (const part of ['Wait per request of sdb', '80', 'imaging 812', '70 %', 'See who writes.'])
      expect(text()).toContain(part)
  })

  it('shows its evidence as strips', async () => {
    const { press } = await mounted(FindingList, {
      diagnosis: diagnosis(aFinding()),
      answers: { 'GET /api/measures': [aMeasure()] },
    })
    useWorkbench().selected = 'disk.saturated/sdb/1'
    await flushPromises()
    await press('Show these strips')
    expect(useStrips().strips.map((strip) => [strip.plan.title, strip.devices, strip.line])).toEqual([
      ['Wait per request', { kind: 'named', names: ['sdb'] }, 0.02],
    ])
  })

  it('draws causes above what they brought about', async () => {
    const cause = aFinding({ id: 'a', kind: 'memory.pressure', title: 'Memory short', symptoms: ['b'] })
    const effect = aFinding({ id: 'b', title: 'Disk saturated', caused_by: ['a'] })
    const { page } = await mounted(FindingList, { diagnosis: diagnosis(cause, effect) })
    useWorkbench().selected = 'b'
    await flushPromises()
    const stages = page.findAll('[data-chain] li').map((item) => item.text())
    expect(stages[0]).toContain('Memory short')
    expect(stages[1]).toContain('Disk saturated')
  })
})

describe('an assessment', () => {
  const props = { archiveId: anArchive().id, finding: aFinding() }

  it('is sent with its remark', async () => {
    const { page, press, sent } = await mounted(FindingVerdict, { props })
    await page.find('input').setValue('seen before')
    await press('Confirm')
    expect(sent).toEqual([
      {
        method: 'PUT',
        path: `/api/archives/${anArchive().id}/verdicts`,
        body: {
          kind: 'disk.saturated',
          device: 'sdb',
          start: at(10),
          end: at(30),
          state: 'confirmed',
          remark: 'seen before',
        },
      },
    ])
    expect(page.find('input').element.value).toBe('')
  })

  it('needs a reason to dismiss', async () => {
    const { press, sent, text } = await mounted(FindingVerdict, { props })
    await press('Dismiss')
    expect(sent).toEqual([])
    expect(text()).toContain('Say why')
  })

  it('that is refused says why, and keeps what was typed', async () => {
    const { page, press, text } = await mounted(FindingVerdict, {
      props,
      answers: { [VERDICTS]: new Refusal(422, 'no such finding') },
    })
    await page.find('input').setValue('odd')
    await press('Confirm')
    expect(text()).toContain('no such finding')
    expect(page.find('input').element.value).toBe('odd')
  })
})

describe('what was ruled out', () => {
  it('says what it was and why it is none', async () => {
    const { page, press, session } = await mounted(RuledOutList, { diagnosis: diagnosis() })
    expect(page.text()).toContain('Most of it was page cache.')
    await press('Memory nearly full')
    expect(session.moves.find).toHaveBeenCalledWith('memory.full/1')
  })
})

describe('the side panel', () => {
  it('counts what its tabs hold', async () => {
    const { page } = await mounted(SidePanel, {
      diagnosis: diagnosis(aFinding(), aFinding({ id: 'second' })),
      markers: { markers: [], total: 4 },
    })
    const tabs = page.findAll('[role=tab]').map((tab) => tab.text().replace(/\s+/g, ' '))
    expect(tabs).toEqual(['Moment', 'Use', 'Findings 2', 'Ruled out 1', 'Notes 4'])
  })
})

describe('what could not be judged', () => {
  const unjudged = [
    {
      subject: 'TCP retransmissions',
      reason: '/proc/net/snmp was not recorded.',
      kinds: ['net.loss' as const],
    },
  ]

  it('stands open where nothing was found, so that this does not read as health', async () => {
    const judged = { ...diagnosis(), unjudged }
    const { text } = await mounted(NotJudged, { diagnosis: judged })
    expect(text()).toContain('TCP retransmissions/proc/net/snmp was not recorded.')
    const list = await mounted(FindingList, { diagnosis: judged })
    expect(list.text()).toContain('what could not be stands below')
  })

  it('is closed beside findings, with its number, and opens', async () => {
    const { text, press } = await mounted(NotJudged, {
      diagnosis: { ...diagnosis(aFinding()), unjudged },
    })
    expect(text()).toContain('1 · show')
    expect(text()).not.toContain('TCP retransmissions')
    await press('Not judged')
    expect(text()).toContain('TCP retransmissions')
  })

  it('is not shown where everything was judged', async () => {
    const { text } = await mounted(NotJudged, { diagnosis: diagnosis() })
    expect(text()).toBe('')
  })
})
