import { describe, expect, it } from 'vitest'
import type { Placement } from '../api/client'
import { drawnRuns, nameOfTask, ROW_PX, rowHeight, runAt } from './coreRuns'

const at = (second: number): string => new Date(second * 1000).toISOString()
const placement: Placement = {
  recorded: true,
  of_threads: false,
  tasks: [
    { number: 31, start: 7, name: 'stitch' },
    { number: 32, start: 8, name: null },
  ],
  cores: [
    {
      core: '0',
      runs: [
        { start: at(0), end: at(40), task: 0, share: 0.5 },
        { start: at(60), end: at(120), task: 1, share: 1 },
      ],
    },
  ],
}

describe('who ran on which core', () => {
  const runs = drawnRuns(placement, placement.cores[0] ?? { core: '', runs: [] }, {
    start: 20_000,
    end: 100_000,
  })

  it('is drawn as far as the window shows it', () => {
    expect(runs.map(({ from, to, label }) => [from, to, label])).toEqual([
      [0, 0.25, 'stitch 31'],
      [0.5, 1, 'unknown 32'],
    ])
  })

  it('is named for the place under the pointer', () => {
    expect(runAt(runs, 0.1)?.task).toBe(0)
    expect(runAt(runs, 0.4)).toBeNull()
    expect(nameOfTask(placement, 9)).toBe('')
  })

  it('has rows as tall as many cores allow', () => {
    expect([rowHeight(4), rowHeight(32), rowHeight(256)]).toEqual([ROW_PX.most, 8, ROW_PX.least])
  })
})
