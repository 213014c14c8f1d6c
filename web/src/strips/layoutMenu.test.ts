// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { mounted, Refusal } from '../testing/mount'
import { useStrips } from '../useStrips'
import LayoutMenu from './LayoutMenu.vue'

const NIGHTLY = {
  id: 'aaaaaaaa-0000-4000-8000-000000000001',
  name: 'Nightly',
  host: null,
  strips: ['steal', 'disk'],
}
const MONDAY = { ...NIGHTLY, id: 'aaaaaaaa-0000-4000-8000-000000000002', name: 'Monday' }
const PATH = '/api/layouts'

async function open(answers = {}) {
  const found = await mounted(LayoutMenu, { answers })
  const board = useStrips()
  board.saved = [NIGHTLY, MONDAY]
  board.open('disk', null, null)
  await found.press('My layouts')
  return { ...found, board }
}
const named = (layout: { name: string }): HTMLElement => {
  const found = [...document.querySelectorAll<HTMLElement>('[data-saved-layout]')].find((item) =>
    item.textContent.includes(layout.name),
  )
  if (!found) throw new Error(`no layout ${layout.name}`)
  return found
}
async function click(element: HTMLElement, label: string): Promise<void> {
  const button = [...element.querySelectorAll('button')].find((item) => item.textContent.trim() === label)
  if (!button) throw new Error(`no button ${label}`)
  button.click()
  await flushPromises()
}

describe('the layouts that were saved', () => {
  it('are chosen, and one opens first', async () => {
    const { board } = await open()
    await click(named(MONDAY), 'make default')
    expect(board.opensFirst).toBe(MONDAY.id)
    await click(named(NIGHTLY), 'Nightly')
    expect([board.layout, board.strips.map(({ plan }) => plan.id)]).toEqual([NIGHTLY.id, ['steal', 'disk']])
  })

  it('are saved under a name, for all hosts or this one', async () => {
    const id = 'aaaaaaaa-0000-4000-8000-000000000009'
    vi.spyOn(crypto, 'randomUUID').mockReturnValue(id)
    const kept = { id, name: 'Look of the week', host: null, strips: ['cores'] }
    const { board, sent } = await open({ [`PUT ${PATH}/${id}`]: kept })
    const shown = board.text.split(';')
    const field = document.querySelector<HTMLInputElement>('#layout-name')
    if (!field) throw new Error('no field')
    field.value = ' Look of the week '
    field.dispatchEvent(new Event('input'))
    await flushPromises()
    document.querySelector<HTMLInputElement>('form input[type=checkbox]')?.click()
    document.querySelector('form')?.dispatchEvent(new Event('submit', { cancelable: true }))
    await flushPromises()
    expect(sent.map(({ method, path }) => [method, path.slice(0, PATH.length)])).toEqual([['PUT', PATH]])
    expect(sent[0]?.body).toMatchObject({ name: 'Look of the week', strips: shown })
    expect(board.own?.name).toBe('Look of the week')
    expect((sent[0]?.body as { host: string | null }).host).not.toBeNull()
  })

  it('are put in order', async () => {
    const { sent } = await open()
    await click(named(MONDAY), 'up')
    expect(sent[0]).toMatchObject({ method: 'PUT', path: `${PATH}/order`, body: [MONDAY.id, NIGHTLY.id] })
  })

  it('come back after they were deleted', async () => {
    const { sent, text, press } = await open()
    await click(named(NIGHTLY), 'delete')
    expect(text()).toContain('Nightly is deleted.')
    await press('Undo')
    expect(sent.map(({ method, path }) => `${method} ${path}`)).toEqual([
      `DELETE ${PATH}/${NIGHTLY.id}`,
      `POST ${PATH}/${NIGHTLY.id}/restore`,
    ])
  })

  it('say why one could not be kept', async () => {
    const { text, press } = await open({ [`PUT ${PATH}/order`]: new Refusal(409, 'no more are kept') })
    await click(named(MONDAY), 'up')
    expect(text()).toContain('no more are kept')
    await press('My layouts')
  })
})
