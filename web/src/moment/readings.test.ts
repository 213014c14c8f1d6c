import { describe, expect, it } from 'vitest'
import type { Moment } from '../api/client'
import { heaviest, memoryParts, Readings } from './readings'

const moment: Moment = {
  at: '1970-01-01T00:00:00Z',
  tick: '1970-01-01T00:00:00Z',
  cores: 2,
  readings: [
    { measure: 'cpu.busy', device: null, unit: 'cores', value: 1.5 },
    { measure: 'cpu.busy', device: '0', unit: 'cores', value: 1 },
    { measure: 'cpu.busy', device: '1', unit: 'cores', value: null },
    { measure: 'memory.programs', device: null, unit: 'bytes', value: 600 },
    { measure: 'memory.free', device: null, unit: 'bytes', value: 400 },
    { measure: 'memory.huge', device: null, unit: 'bytes', value: 0 },
  ],
}

describe('readings of a moment', () => {
  const readings = new Readings(moment)

  it('tell the machine and its devices apart', () => {
    expect(readings.of('cpu.busy')).toBe(1.5)
    expect(readings.of('cpu.busy', '0')).toBe(1)
    expect(readings.of('cpu.busy', '1')).toBeNull()
    expect(readings.devices('cpu.busy')).toEqual(['0', '1'])
  })

  it('give memory in parts, without empty ones', () => {
    expect(memoryParts(readings).map((part) => [part.label, part.bytes])).toEqual([
      ['programs', 600],
      ['free', 400],
    ])
  })

  it('put the heaviest device first and count the idle ones', () => {
    const weights: Record<string, number> = { sda: 1, sdb: 5, loop0: 0 }
    expect(heaviest(['sda', 'sdb', 'loop0'], (device) => weights[device] ?? 0)).toEqual({
      active: ['sdb', 'sda'],
      idle: 1,
    })
  })
})
