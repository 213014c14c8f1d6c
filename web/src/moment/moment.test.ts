// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { h } from 'vue'
import type { Moment, Processes } from '../api/client'
import { mounted } from '../testing/mount'
import { anArchive, aProcess, at } from '../testing/samples'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import DeviceTable from './DeviceTable.vue'
import MomentPanel from './MomentPanel.vue'
import ProcessTable from './ProcessTable.vue'
import { Readings } from './readings'

const PATH = `/api/archives/${anArchive().id}`
const moment = (more: Partial<Moment> = {}): Moment => ({
  at: at(30),
  tick: at(30),
  cores: 2,
  readings: [
    { measure: 'cpu.busy', device: null, unit: 'cores', value: 1.5 },
    { measure: 'cpu.busy', device: '0', unit: 'cores', value: 1 },
    { measure: 'cpu.busy', device: '1', unit: 'cores', value: 0.5 },
    { measure: 'disk.busy', device: 'sda', unit: 'share', value: 0.9 },
    { measure: 'disk.read.rate', device: 'sda', unit: 'bytes/s', value: 2 ** 20 },
    { measure: 'disk.wait', device: 'sda', unit: 's', value: 0.02 },
    { measure: 'disk.read.rate', device: 'sdb', unit: 'bytes/s', value: 3 * 2 ** 20 },
    { measure: 'disk.busy', device: 'sdb', unit: 'share', value: 0.1 },
  ],
  ...more,
})
const table = (...processes: Processes['processes']): Processes => ({
  recorded: true,
  tick: at(30),
  processes,
  threads: [],
  total: aProcess(0, '', { cpu_cores: 5, memory_bytes: 2 ** 33 }).usage,
  states: { R: 2 },
  ended_cores: 0.2,
})

describe('the moment', () => {
  it('says how to get one', async () => {
    const { text } = await mounted({
      setup: () => {
        const bench = useWorkbench()
        bench.open({ start: 0, end: 1 }, { start: 0, end: 1 }, null)
        return () => h(MomentPanel)
      },
    })
    expect(text()).toContain('Click on a strip')
  })

  it('reads the machine and its devices', async () => {
    const { text } = await mounted(MomentPanel, {
      answers: { [`GET ${PATH}/moment`]: moment(), [`GET ${PATH}/processes`]: table(aProcess(7, 'imaging')) },
    })
    for (const part of ['sdb', 'sda', 'imaging']) expect(text()).toContain(part)
  })

  it('says that nothing was recorded in a gap', async () => {
    const { page } = await mounted(MomentPanel, {
      answers: { [`GET ${PATH}/moment`]: moment({ tick: null, readings: [] }) },
    })
    expect(page.find('.hatched').exists()).toBe(true)
  })

  it('says that an archive holds no processes', async () => {
    const { text } = await mounted(MomentPanel, {
      answers: {
        [`GET ${PATH}/moment`]: moment(),
        [`GET ${PATH}/processes`]: { ...table(), recorded: false, tick: null },
      },
    })
    expect(text()).toContain('holds no processes')
  })
})

describe('the table of processes', () => {
  const imaging = aProcess(812, 'imaging', { cpu_cores: 2, memory_bytes: 2 ** 20 })
  const reader = aProcess(900, 'reader', { cpu_cores: 1, memory_bytes: 2 ** 30 })
  const rows = (page: { findAll: (by: string) => { text: () => string }[] }): string[] =>
    page.findAll('[data-process]').map((row) => row.text().split(/\s/)[0] ?? '')

  it('is sorted by what is pressed', async () => {
    const { page, press } = await mounted(ProcessTable, {
      props: { processes: table(imaging, reader), then: null },
    })
    expect(rows(page)).toEqual(['imaging', 'reader'])
    await press('memory')
    expect(rows(page)).toEqual(['reader', 'imaging'])
  })

  it('is filtered by name, user, number or group', async () => {
    const { page } = await mounted(ProcessTable, {
      props: { processes: table(imaging, reader), then: null },
    })
    await page.find('input[type=search]').setValue('900')
    expect(rows(page)).toEqual(['reader'])
  })

  it('accounts for what the list does not hold', async () => {
    const { text } = await mounted(ProcessTable, { props: { processes: table(imaging, reader), then: null } })
    expect(text()).toMatch(/2\.00/) // 5 cores of all, less 2 and 1
  })

  it('puts what a process was at the pinned moment below', async () => {
    const then = table(aProcess(812, 'imaging', { cpu_cores: 0.5 }))
    const { page } = await mounted(ProcessTable, { props: { processes: table(imaging, reader), then } })
    const was = page.findAll('[data-was]').map((cell) => cell.text())
    expect(was[0]).toBe('was 0.50')
    expect(was).toContain('not listed')
  })

  it('puts the past of a process on top of the strips', async () => {
    const { page } = await mounted(ProcessTable, { props: { processes: table(imaging), then: null } })
    const before = useStrips().strips.length
    await page.find('[data-process]').trigger('click')
    expect(useStrips().strips.length).toBeGreaterThan(before)
    expect(useStrips().strips[0]?.plan.traces[0]?.measure).toContain('812')
  })
})

describe('the table of devices', () => {
  const columns = [
    { title: 'read', measure: 'disk.read.rate' as const, unit: 'bytes/s' as const },
    { title: 'wait', measure: 'disk.wait' as const, unit: 's' as const, bar: true },
  ]
  const readings = new Readings(moment())
  const props = {
    kind: 'disk',
    devices: ['sda', 'sdb'],
    idle: 1,
    columns,
    readings,
    then: null,
    resource: 'disk',
  }
  const names = (page: { findAll: (by: string) => { text: () => string }[] }): string[] =>
    page.findAll('tbody tr').map((row) => row.text().slice(0, 3))

  it('is sorted by a column', async () => {
    const { page, press } = await mounted(DeviceTable, { props })
    await press('read')
    expect(names(page)).toEqual(['sdb', 'sda'])
    expect(page.text()).toContain('1 more did nothing')
  })

  it('gives devices a name', async () => {
    const { page, sent } = await mounted(DeviceTable, { props, answers: { [`PUT ${PATH}/names`]: {} } })
    await page.find('tbody button').trigger('click')
    await flushPromises()
    const field = page.find('tbody input')
    await field.setValue('the shelf')
    await field.trigger('keydown', { key: 'Enter' })
    await field.trigger('blur')
    await flushPromises()
    expect(sent.at(-1)?.body).toEqual({ kind: 'disk', device: 'sda', name: 'the shelf' })
  })
})
