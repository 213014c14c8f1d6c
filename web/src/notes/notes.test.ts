// @vitest-environment jsdom
import { flushPromises } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { mounted, Refusal } from '../testing/mount'
import { aMarker, anArchive, at } from '../testing/samples'
import MarkerLane from './MarkerLane.vue'
import NoteList from './NoteList.vue'

const markers = {
  markers: [
    aMarker(),
    aMarker({ ident: 'note/1', kind: 'note', text: 'curators call', source: '', at: at(25) }),
  ],
  total: 5,
}
const PATH = `/api/archives/${anArchive().id}/markers`

describe('the list of notes', () => {
  it('shows what was logged, and says how much is left out', async () => {
    const { text } = await mounted(NoteList, { markers })
    for (const part of ['sdb: reset', 'curators call', '3']) expect(text()).toContain(part)
  })

  it('is searched', async () => {
    const { page } = await mounted(NoteList, { markers })
    await page.find('input[type=search]').setValue('CALL')
    expect(page.text()).toContain('curators call')
    expect(page.text()).not.toContain('sdb: reset')
  })

  it('keeps a note at the needle', async () => {
    const { page, sent } = await mounted(NoteList, { markers, answers: { [`POST ${PATH}`]: {} } })
    const field = page.findAll('input, textarea').at(-1)
    await field?.setValue('the belt stopped')
    await page.find('form').trigger('submit')
    await flushPromises()
    expect(sent).toEqual([
      {
        method: 'POST',
        path: PATH,
        body: [{ at: at(30), kind: 'note', text: 'the belt stopped', source: '', log: '' }],
      },
    ])
  })

  it('says why a note was refused', async () => {
    const { page, text } = await mounted(NoteList, {
      markers,
      answers: { [`POST ${PATH}`]: new Refusal(507, 'the disk is full') },
    })
    await page.findAll('input, textarea').at(-1)?.setValue('x')
    await page.find('form').trigger('submit')
    await flushPromises()
    expect(text()).toContain('the disk is full')
  })

  it('goes to the one that is pressed', async () => {
    const { session, press } = await mounted(NoteList, { markers })
    await press(new Date(Date.parse(at(12))).toLocaleTimeString('en-GB'))
    expect(session.moves.note).toHaveBeenCalledWith(markers.markers[0])
  })
})

describe('the lane of notes', () => {
  it('has a mark for each place, with its words', async () => {
    const window = { start: Date.parse(at(0)), end: Date.parse(at(60)) }
    const { page } = await mounted(MarkerLane, { props: { markers: markers.markers, window } })
    const titles = page.findAll('button').map((mark) => mark.attributes('title'))
    expect(titles).toHaveLength(2)
    expect(titles[0]).toContain('error  sdb: reset')
  })
})
