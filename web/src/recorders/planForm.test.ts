import { describe, expect, it } from 'vitest'
import type { PlanDocument } from '../api/client'
import { toForm, toPlan } from './planForm'

const GROUPS = ['cpu', 'disk', 'process']
const whole: PlanDocument = {
  name: 'night shift',
  every: '2s',
  keep: '30d',
  arguments: true,
  threads: true,
  control_groups: ['lab/tiles', 'user.slice/*'],
  log: 'warning',
  groups: { disk: { every: '10s' }, process: { record: false } },
  devices: { interface: { only: ['eth*', 'wlan0'], idle: false }, disk: { without: ['loop*'] } },
  when: {
    start: '2026-11-12T09:00:00Z',
    weekly: [{ days: ['sat', 'sun'], from: '08:00', to: '24:00' }],
  },
  burst: { every: '200ms', last: '60s', resource: 'io', scope: 'full', above: 0.3, for: '5s' },
}

describe('plan form', () => {
  it('gives a plan back as it came', () => {
    expect(toPlan(toForm(whole, GROUPS))).toEqual(whole)
  })

  it('leaves out what has its usual value', () => {
    expect(toPlan(toForm({ name: 'usual' }, GROUPS))).toEqual({ name: 'usual', every: '1s' })
  })

  it('sends what makes no sense as it was typed, for the server to say what is wrong', () => {
    const form = toForm({ name: 'p' }, GROUPS)
    form.burst.above = 'much'
    form.keep = 'long'
    expect(toPlan(form)).toEqual({ name: 'p', every: '1s', keep: 'long', burst: { above: 'much' } })
  })
})
