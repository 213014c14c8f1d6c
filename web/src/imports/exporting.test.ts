import { describe, expect, it } from 'vitest'
import { stripOf, type StripPlan } from '../model/strips'
import { archiveAddress, tableAddress } from './exporting'

const plan: StripPlan = {
  id: 'wait',
  title: 'Waits',
  note: '',
  resource: 'disk',
  unit: 's',
  traces: [{ measure: 'disk.wait', label: 'wait', weight: 1 }],
  per: 'disk',
}
const use: StripPlan = {
  ...plan,
  id: 'use',
  traces: [{ measure: 'use.memory{by=user}', label: '', weight: 1 }],
}
const window = { start: Date.UTC(2026, 10, 13, 1), end: Date.UTC(2026, 10, 13, 9) }

describe('addresses of files', () => {
  it('name the measures of what is shown, and the window', () => {
    const address = tableAddress(
      'a',
      [stripOf(plan, { devices: { kind: 'each' } }), stripOf(use)],
      window,
      'csv',
    )
    expect(decodeURIComponent(address ?? '')).toBe(
      '/api/archives/a/table?measure=disk.wait@*&format=csv&from=2026-11-13T01:00:00Z&to=2026-11-13T09:00:00Z',
    )
    expect(tableAddress('a', [stripOf(use)], window, 'csv')).toBeNull()
  })

  it('hold the stretch of an archive', () => {
    expect(decodeURIComponent(archiveAddress('a', 'archive', { from: 'x', to: 'y' }))).toBe(
      '/api/archives/a/file?format=archive&from=x&to=y',
    )
    expect(archiveAddress('a', 'archive', null)).toBe('/api/archives/a/file?format=archive')
  })
})
