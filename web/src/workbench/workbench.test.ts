// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { h } from 'vue'
import FindDialog from '../find/FindDialog.vue'
import TransportBar from '../replay/TransportBar.vue'
import StrainMap from '../strainmap/StrainMap.vue'
import { mounted, Refusal } from '../testing/mount'
import { aFinding, anArchive, aRecorder, at, MINUTE, START } from '../testing/samples'
import KeysDialog from '../ui/KeysDialog.vue'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import { useFound } from './useFound'
import { useSession } from './session'
import { useWorkbenchKeys } from './useWorkbenchKeys'
import { ref } from 'vue'
import StateLine from './StateLine.vue'
import WindowMenu from './WindowMenu.vue'
import WorkbenchHead from './WorkbenchHead.vue'

const PATH = `/api/archives/${anArchive().id}`
const diagnosis = {
  host: 'stitch-01',
  window: { from: at(0), to: at(60), coverage: 1 },
  findings: [aFinding()],
  ruled_out: [],
  unjudged: [],
}
const strain = {
  start: at(0),
  bin_s: 600,
  rows: [
    {
      measure: 'disk.strain',
      resource: 'disk',
      device: null,
      has_devices: true,
      help: 'How hard disks were pressed.',
      formula: 'queue and wait',
      inputs: ['disk.wait'],
      mean: [0, 80, 90, null, 0, 0],
      high: [0, 90, 100, null, 10, 0],
    },
    {
      measure: 'swap.strain',
      resource: 'swap',
      device: null,
      has_devices: false,
      help: '',
      formula: '',
      inputs: [],
      mean: null,
      high: null,
    },
  ],
}

describe('the head', () => {
  it('says which host, archive and window, and what the host is', async () => {
    const { text } = await mounted(WorkbenchHead)
    for (const part of [
      'stitch-01',
      'morning',
      '8 cores',
      '32 GiB',
      'recorded every 1 s',
      'simulated',
      '1 h',
    ])
      expect(text().replaceAll('\u00a0', ' ')).toContain(part)
  })

  it('shows the facts of the host, and what changed', async () => {
    const facts = [
      { since: at(0), facts: { cores: 4 } },
      { since: at(30), facts: { cores: 8 } },
    ]
    const { press, text } = await mounted(WorkbenchHead, { answers: { [`GET ${PATH}/facts`]: facts } })
    await press('8 cores')
    expect(text()).toContain('cores: 4 → 8')
  })
})

describe('the state of what is shown', () => {
  const props = { archive: anArchive() }

  it('says that strips could not be brought up to date', async () => {
    const { page, session } = await mounted(StateLine, { props })
    session.window.error.value = { message: 'the server is away' } as never
    await flushPromises()
    expect(page.find('[data-state=error]').text()).toContain('the server is away')
  })

  it('says that a host that should be sending is silent', async () => {
    vi.useFakeTimers({ now: START + 90 * MINUTE, toFake: ['Date'] })
    const { page } = await mounted(StateLine, {
      props,
      answers: { 'GET /api/recorders': [aRecorder({ state: 'silent' })] },
    })
    vi.useRealTimers()
    expect(page.find('[data-state=silent]').text()).toContain('30 min ago')
  })

  it('says nothing of a recording that was ended', async () => {
    const { page } = await mounted(StateLine, {
      props,
      answers: { 'GET /api/recorders': [aRecorder({ state: 'ended' })] },
    })
    expect(page.find('[data-state]').exists()).toBe(false)
  })
})

describe('the map', () => {
  it('has a row for each resource, in words too', async () => {
    const { text } = await mounted(StrainMap, { answers: { [`GET ${PATH}/strain`]: strain }, diagnosis })
    expect(text()).toContain('Disk')
    expect(text()).toContain('not recorded')
  })

  it('explains how strain comes about', async () => {
    const { press, text } = await mounted(StrainMap, { answers: { [`GET ${PATH}/strain`]: strain } })
    await press('how the strain of Disk')
    expect(text()).toContain('How hard disks were pressed.')
  })

  it('says why it cannot be drawn', async () => {
    const { text } = await mounted(StrainMap, {
      answers: { [`GET ${PATH}/strain`]: new Refusal(422, 'too much for one answer') },
    })
    expect(text()).toContain('too much for one answer')
  })
})

describe('the transport', () => {
  it('moves by findings, ticks and marks', async () => {
    const { press, session } = await mounted(TransportBar, { props: { coverage: 0.5 }, diagnosis })
    await press('Next finding')
    await press('Step one tick back')
    await press('Mark the needle')
    expect(session.moves.jump).toHaveBeenCalledWith(1)
    expect(session.moves.step).toHaveBeenCalledWith(-1)
    expect(useWorkbench().mark).toBe(START + 30 * MINUTE)
  })

  it('plays and pauses', async () => {
    const { press } = await mounted(TransportBar, { props: { coverage: 1 } })
    await press('Play')
    expect(useWorkbench().playing).toBe(true)
    await press('Pause')
    expect(useWorkbench().playing).toBe(false)
  })

  it('offers to follow only what grows', async () => {
    const still = await mounted(TransportBar, { props: { coverage: 1 } })
    expect(() => still.button('Follow live')).toThrow('no button')
    still.page.unmount()
    const growing = await mounted(TransportBar, { props: { coverage: 1 }, isLive: true })
    await growing.press('Follow live')
    expect(useWorkbench().following).toBe(true)
  })
})

describe('keys', () => {
  const panels = { map: ref(true), find: ref(false), help: ref(false) }
  const Keys = {
    setup: () => {
      useWorkbenchKeys(useSession(), panels)
      return () => h('i')
    },
  }
  const type = (key: string, more: KeyboardEventInit = {}): void => {
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }))
  }

  it('do what the mouse does', async () => {
    const { session } = await mounted(Keys)
    const bench = useWorkbench()
    type('ArrowRight')
    type('n')
    type('k')
    type(' ')
    type('?')
    type('/')
    expect(session.moves.step).toHaveBeenCalledWith(1)
    expect(session.moves.jump).toHaveBeenCalledWith(1)
    expect(bench.mark).toBe(START + 30 * MINUTE)
    expect(bench.playing).toBe(true)
    expect([panels.help.value, panels.find.value]).toEqual([true, true])
  })

  it('are all in the list of keys', async () => {
    const { text } = await mounted(KeysDialog, { props: { open: true } })
    for (const part of ['Next finding', 'Follow live', 'Find'])
      expect(text().toLowerCase()).toContain(part.toLowerCase())
  })
})

describe('what is found', () => {
  const Found = {
    setup: () => {
      found = useFound(useSession())
      return () => h('i')
    },
  }
  let found: ReturnType<typeof useFound>
  const wait = {
    name: 'disk.wait',
    title: 'Wait per request',
    unit: 's',
    resource: 'disk',
    per: 'disk',
  } as const

  it('is gone to, shown, added or listed', async () => {
    const { session } = await mounted(Found, { charted: [{ ...wait, devices: [], aliases: [] }] })
    const bench = useWorkbench()
    found({ kind: 'time', id: 't', title: '', note: '', at: START })
    expect(session.moves.goTo).toHaveBeenCalledWith(START)
    found({ kind: 'layout', id: 'l', title: '', note: '', layout: 'disk' })
    expect(useStrips().layout).toBe('disk')
    found({ kind: 'measure', id: 'm', title: '', note: '', measure: wait, device: 'sda' })
    expect(useStrips().strips[0]?.plan.id).toBe('disk.wait')
    expect(useStrips().strips[0]?.devices).toEqual({ kind: 'named', names: ['sda'] })
    const span = { start: START, end: START + MINUTE }
    found({ kind: 'span', id: 's', title: '', note: '', span })
    expect(bench.window).toEqual(span)
    found({ kind: 'processes', id: 'p', title: '', note: '', text: 'imaging' })
    expect([bench.processFilter, bench.tab]).toEqual(['imaging', 0])
  })

  it('is offered while it is typed', async () => {
    await mounted(FindDialog, {
      props: { open: true },
      charted: [{ ...wait, devices: ['sda'], aliases: [] }],
    })
    const field = document.querySelector<HTMLInputElement>('[aria-label="What to find"]')
    if (!field) throw new Error('there is no field')
    field.value = 'wait per'
    field.dispatchEvent(new Event('input', { bubbles: true }))
    field.dispatchEvent(new Event('change', { bubbles: true }))
    await flushPromises()
    expect(document.querySelector('[data-entry=measure]')?.textContent).toContain('Wait per request')
  })
})

describe('the window', () => {
  async function openMenu(): Promise<void> {
    document.querySelector<HTMLElement>('[data-window-text]')?.click()
    await flushPromises()
  }
  const fields = (): HTMLInputElement[] => [...document.querySelectorAll<HTMLInputElement>('form input')]
  async function type(field: HTMLInputElement | undefined, text: string): Promise<void> {
    if (!field) throw new Error('no field')
    field.value = text
    field.dispatchEvent(new Event('input'))
    await flushPromises()
  }

  it('is set by a length, up to the end or around the needle', async () => {
    const { press } = await mounted(WindowMenu)
    const bench = useWorkbench()
    const { start, end } = bench.extent ?? { start: 0, end: 0 }
    await openMenu()
    await press('15 min')
    expect(bench.window).toEqual({ start: end - 15 * 60_000, end })
    bench.look({ start, end })
    await openMenu()
    document.querySelector<HTMLInputElement>('input[value=needle]')?.click()
    await flushPromises()
    await press('5 min')
    const middle = (start + end) / 2
    expect(bench.window).toEqual({ start: middle - 150_000, end: middle + 150_000 })
  })

  it('is set from when until when, and says what is no time', async () => {
    const { text } = await mounted(WindowMenu)
    const bench = useWorkbench()
    const { end } = bench.extent ?? { end: 0 }
    await openMenu()
    const [from, to] = fields()
    await type(from, 'banana')
    expect(text()).toContain('“banana” is no time')
    await type(from, '-10min')
    await type(to, '-20min')
    expect(text()).toContain('is not before')
    await type(to, '-5min')
    document.querySelector('form')?.dispatchEvent(new Event('submit', { cancelable: true }))
    await flushPromises()
    expect(bench.window).toEqual({ start: end - 600_000, end: end - 300_000 })
  })
})
