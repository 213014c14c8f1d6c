// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { afterEach, describe, expect, it } from 'vitest'
import { defineComponent, h } from 'vue'
import { amountChoices } from '../model/amounts'
import { mounted } from '../testing/mount'
import { showHostZone, usePreferences } from '../usePreferences'
import HintNote from './HintNote.vue'
import SettingsDialog from './SettingsDialog.vue'
import { useHints } from './useHints'

const open = () => mounted(SettingsDialog)
async function choose(label: string): Promise<void> {
  const found = [...document.querySelectorAll<HTMLLabelElement>('fieldset label')].find(
    (item) => item.textContent.trim() === label,
  )
  const radio = found?.querySelector('input')
  if (!radio) throw new Error(`no choice ${label}`)
  radio.click()
  await flushPromises()
}

describe('the settings', () => {
  afterEach(() => {
    usePreferences().reset()
    showHostZone(null)
  })

  it('hold at once, are shown on a sample, and are kept', async () => {
    const { text } = await open()
    expect(text()).toContain('745 Mbit/s · 6.40 GiB')
    await choose('bytes')
    await choose('all by 1000 (SI)')
    expect(text()).toContain('93.1 MB/s · 6.87 GB')
    expect([amountChoices.links, localStorage.getItem('reditus.prefixes')]).toEqual(['bytes', 'SI'])
  })

  it('go by the host’s own clock where that is known, and say so where it is not', async () => {
    const { text } = await open()
    await choose('the host’s own')
    expect([
      text().includes('No host is open that recorded its own clock'),
      usePreferences().zone.value,
    ]).toEqual([true, 'local'])
    showHostZone('Asia/Tokyo')
    await flushPromises()
    expect([text().includes('the host’s own (Tokyo)'), usePreferences().zone.value]).toEqual([
      true,
      'Asia/Tokyo',
    ])
    showHostZone('Nowhere/Atall')
    expect(usePreferences().zone.value).toBe('local')
  })

  it('go round the clocks that there are', () => {
    const { toggleZone, zone } = usePreferences()
    const seen = [0, 1].map(() => {
      toggleZone()
      return zone.value
    })
    showHostZone('Europe/Berlin')
    const withHost = [0, 1, 2].map(() => {
      toggleZone()
      return zone.value
    })
    expect([seen, withHost]).toEqual([
      ['UTC', 'local'],
      ['UTC', 'Europe/Berlin', 'local'],
    ])
  })
})

describe('a hint', () => {
  const Two = defineComponent(() => () => [h(HintNote, { place: 'use' }), h(HintNote, { place: 'figures' })])

  it('never comes back once it was put away, until the settings bring all back', async () => {
    const found = await mounted(Two)
    const shown = (): number => document.querySelectorAll('[data-hint]').length
    expect(shown()).toBe(2)
    await found.press('got it')
    expect([shown(), localStorage.getItem('reditus.hints')]).toEqual([1, 'use'])
    useHints().showAgain()
    await flushPromises()
    expect(shown()).toBe(2)
  })
})
