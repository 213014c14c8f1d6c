import { describe, expect, it } from 'vitest'
import { readLayoutFile, writeLayoutFile } from './layoutFile'

describe('a layout as a file', () => {
  const layout = { name: 'Nightly look', strips: ['cores', 'disk@top5~h180'] }

  it('is read as it was written', () => {
    expect(readLayoutFile(writeLayoutFile(layout))).toEqual(layout)
  })

  it.each([
    ['not json', 'not JSON'],
    ['[1]', 'no layout'],
    ['{"reditus_layout": 2, "name": "x", "strips": ["cores"]}', 'of version 2'],
    ['{"reditus_layout": 1, "name": " ", "strips": ["cores"]}', '"name"'],
    ['{"reditus_layout": 1, "name": "x", "strips": []}', 'list of 1 to'],
    ['{"reditus_layout": 1, "name": "x", "strips": [7]}', 'such as'],
    ['{"reditus_layout": 1, "name": "x", "strips": ["a;b"]}', 'such as'],
  ])('says of %s why it is none', (text, why) => {
    expect(readLayoutFile(text)).toContain(why)
  })
})
