// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { h } from 'vue'
import type { Strip } from '../model/strips'
import type { ChartedMeasure } from '../workbench/useKnown'
import { mounted, type Mounted } from '../testing/mount'
import { anArchive, aMarker, aSeries, aSeriesSet, aFinding, at, MINUTE, START } from '../testing/samples'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import LayoutBar from './LayoutBar.vue'
import StripMenu from './StripMenu.vue'
import StripStack from './StripStack.vue'

// Canvases are not drawn in jsdom; what is drawn is the business of the chart's own tests.
vi.mock('./StripChart.vue', () => ({
  default: {
    props: ['plan', 'data', 'window', 'top', 'log'],
    render(this: { top: number }) {
      return h('i', { 'data-chart': '' }, this.top)
    },
  },
}))

const WAIT: ChartedMeasure = {
  name: 'disk.wait',
  title: 'Wait per request',
  unit: 's',
  resource: 'disk',
  per: 'disk',
  devices: ['sda', 'sdb'],
  aliases: [],
}
const QUEUE: ChartedMeasure = { ...WAIT, name: 'disk.read.wait', title: 'Wait per read' }
const device = (name: string, values: (number | null)[], measure = 'disk.wait'): ReturnType<typeof aSeries> =>
  aSeries(measure, values, { device: name, unit: 's' })
const plan = (measure: string): Parameters<ReturnType<typeof useStrips>['add']>[0] => ({
  id: measure,
  title: measure === 'disk.wait' ? 'Wait per request' : measure,
  note: '',
  resource: 'disk',
  unit: 's',
  per: 'disk',
  traces: [{ measure, label: 'wait', weight: 1 }],
})

async function stack(
  set: ReturnType<typeof aSeriesSet>,
  strips: [string, object][],
  more: object = {},
): Promise<Mounted> {
  const found = await mounted(StripStack, {
    props: { archive: anArchive(), withLane: false },
    charted: [WAIT, QUEUE],
    set,
    ...more,
  })
  const board = useStrips()
  board.show([])
  for (const strip of [...board.strips]) board.remove(strip.key)
  for (const [measure, choices] of [...strips].reverse()) board.add(plan(measure), choices)
  await flushPromises()
  return found
}

describe('the strips', () => {
  it('say what they show, for those who cannot see it', async () => {
    const set = aSeriesSet(aSeries('disk.wait', [0.01, 0.03], { unit: 's' }))
    const { page } = await stack(set, [['disk.wait', {}]])
    expect(page.find('[role=img]').attributes('aria-label')).toMatch(
      /^Wait per request\. wait: lowest 10\.0\sms, mean 20\.0\sms, highest 30\.0\sms$/,
    )
  })

  it('say why there is nothing', async () => {
    const set = aSeriesSet(aSeries('disk.wait', [], { missing: 'the archive lacks the counters' }))
    const { page } = await stack(set, [['disk.wait', {}]])
    expect(page.text()).toContain('the archive lacks the counters')
  })

  it('are hatched only where all of them have nothing', async () => {
    const set = aSeriesSet(
      aSeries('disk.wait', [0.01, null, null, null, 0.02], { unit: 's' }),
      aSeries('disk.read.wait', [0.01, 0.01, null, null, 0.02], { unit: 's' }),
    )
    const { page } = await stack(set, [
      ['disk.wait', {}],
      ['disk.read.wait', {}],
    ])
    const [gap] = page.findAll('[data-gap]')
    expect(page.findAll('[data-gap]')).toHaveLength(1)
    // From the last tick that any has, a minute in, to the last without one, at three of sixty.
    expect(gap?.attributes('style')).toContain('left: 1.66')
    expect(gap?.attributes('style')).toContain('width: 3.33')
  })

  it('say the reason of a gap that was reported', async () => {
    const set = aSeriesSet(aSeries('disk.wait', [0.01, null, null, 0.01], { unit: 's' }))
    const markers = {
      markers: [aMarker({ kind: 'gap', at: at(0), end: at(3), text: 'server away', severity: null })],
      total: 1,
    }
    const { page } = await stack(set, [['disk.wait', {}]], { markers })
    expect(page.find('[data-gap]').attributes('title')).toContain('server away')
  })

  it('share their upper edge where they are matched', async () => {
    const set = aSeriesSet(
      aSeries('disk.wait', [0.01, 0.02], { unit: 's' }),
      aSeries('disk.read.wait', [0.3, 0.4], { unit: 's' }),
    )
    const edge = { edge: { kind: 'matched' } }
    const { page } = await stack(set, [
      ['disk.wait', edge],
      ['disk.read.wait', edge],
    ])
    const tops = page.findAll('[data-chart]').map((chart) => Number(chart.text()))
    expect(tops[0]).toBe(tops[1])
    expect(tops[0]).toBeGreaterThanOrEqual(0.4)
  })

  it('mark the onsets of findings', async () => {
    const finding = aFinding({ onset: { at: at(15), uncertainty_s: 1 } })
    const diagnosis = {
      host: '',
      window: { from: at(0), to: at(60), coverage: 1 },
      findings: [finding],
      ruled_out: [],
      unjudged: [],
    }
    const { page } = await stack(aSeriesSet(aSeries('disk.wait', [1])), [['disk.wait', {}]], { diagnosis })
    expect(page.find('.border-dotted').attributes('style')).toContain('left: 25%')
  })

  it('read what a line has at the needle', async () => {
    const set = aSeriesSet(device('sda', [0.01, 0.02, 0.03]), device('sdb', [0.2, 0.3, 0.4]))
    const { page } = await stack(set, [['disk.wait', { devices: { kind: 'each' } }]])
    useWorkbench().point(START + 2 * MINUTE)
    await flushPromises()
    expect(page.find('[data-readout="disk.wait"]').text().replace(/\s/g, ' ')).toBe('sda 30 ms · sdb 400 ms')
  })

  it('say that there are none', async () => {
    const { page } = await stack(aSeriesSet(), [])
    expect(page.text()).toContain('No strips')
  })
})

const first = (): Strip | undefined => useStrips().strips[0]

describe('the choices of a strip', () => {
  async function open(): Promise<Mounted> {
    const found = await mounted({
      setup: () => {
        useStrips().add(plan('disk.wait'))
        return () =>
          first() &&
          h(StripMenu, {
            strip: first() as Strip,
            top: 0.5,
            scale: { by: 0.001, unit: 'ms', digits: 1 },
            devices: ['sda', 'sdb'],
            measures: [WAIT, QUEUE],
          })
      },
    })
    await found.press('⋯')
    return found
  }

  it('choose devices, one by one or all', async () => {
    const { press } = await open()
    await press('each')
    expect(first()?.devices).toEqual({ kind: 'each' })
    const boxes = [...document.querySelectorAll<HTMLInputElement>('input[type=checkbox]')]
    boxes[0]?.click()
    await flushPromises()
    expect(first()?.devices).toEqual({ kind: 'named', names: ['sda'] })
  })

  it('lock the upper edge where it is', async () => {
    const { press } = await open()
    await press('locked')
    expect(first()?.edge).toEqual({ kind: 'locked', top: 0.5 })
  })

  it('put a line, in the unit that is shown, and refuse what is no number', async () => {
    await open()
    const field = document.querySelector<HTMLInputElement>('[aria-label^="A line to count"]')
    if (!field) throw new Error('there is no field')
    field.value = '20'
    field.dispatchEvent(new Event('change'))
    await flushPromises()
    expect(first()?.line).toBeCloseTo(0.02)
    field.value = 'much'
    field.dispatchEvent(new Event('change'))
    await flushPromises()
    expect(document.querySelector('[role=alert]')?.textContent).toContain('a number')
    expect(first()?.line).toBeCloseTo(0.02)
  })

  it('add a measure of the same unit', async () => {
    await open()
    const field = document.querySelector<HTMLSelectElement>('select')
    if (!field) throw new Error('there is no field')
    field.value = 'disk.read.wait'
    field.dispatchEvent(new Event('change'))
    await flushPromises()
    expect(first()?.plan.id).toBe('disk.wait+disk.read.wait')
  })

  it('fold, double and take away', async () => {
    const { press } = await open()
    const before = useStrips().strips.length
    await press('duplicate')
    expect(useStrips().strips).toHaveLength(before + 1)
    await press('take away')
    expect(useStrips().strips).toHaveLength(before)
  })
})

describe('the bar of layouts', () => {
  it('chooses one, and makes it the first', async () => {
    const { press } = await mounted(LayoutBar)
    await press('Disk')
    expect(useStrips().layout).toBe('disk')
    await press('make default')
    expect(useStrips().opensFirst).toBe('disk')
  })

  it('takes changes back', async () => {
    const { press } = await mounted(LayoutBar)
    await press('Disk')
    const before = useStrips().text
    useStrips().remove(useStrips().strips[0]?.key ?? 0)
    await flushPromises()
    await press('modified')
    expect(useStrips().text).toBe(before)
  })

  it('looks at the last minutes, and back', async () => {
    const { press } = await mounted(LayoutBar)
    const bench = useWorkbench()
    await press('The last 5 min')
    expect(bench.window).toEqual({ start: START + 55 * MINUTE, end: START + 60 * MINUTE })
    await press('Undo')
    expect(bench.window).toEqual(bench.extent)
  })
})
