import { describe, expect, it } from 'vitest'
import type { Process, Processes } from '../api/client'
import { named, rest, sorted, threadsOf } from './processes'

const usage = (cpu: number, memory: number, io: number) => ({
  cpu_cores: cpu,
  system_cores: 0,
  memory_bytes: memory,
  read_bytes_per_s: io / 2,
  write_bytes_per_s: io / 2,
  major_faults_per_s: 0,
  minor_faults_per_s: 0,
  blocked_tasks: 0,
  waiting_tasks: 0,
  threads: 1,
})
const made = (pid: number, name: string, user: string, ...amounts: [number, number, number]): Process => ({
  pid,
  start: 1,
  name,
  user,
  group: '/lab/tiles',
  parent: 1,
  arguments: null,
  state: 'R',
  core: 0,
  usage: usage(...amounts),
})
const stitch = made(31, 'stitch', 'lab', 2, 100, 0)
const reader = made(7, 'label-reader', 'root', 1, 900, 4096)

describe('processes of a moment', () => {
  it('sorts by any amount, heaviest first', () => {
    expect(sorted([reader, stitch], 'cpu')).toEqual([stitch, reader])
    expect(sorted([stitch, reader], 'memory')).toEqual([reader, stitch])
    expect(sorted([stitch, reader], 'io')).toEqual([reader, stitch])
  })

  it('finds by name, user, group and number', () => {
    expect(named([stitch, reader], 'LABEL')).toEqual([reader])
    expect(named([stitch, reader], 'lab')).toEqual([stitch, reader])
    expect(named([stitch, reader], '31')).toEqual([stitch])
    expect(named([stitch, reader], 'tiles')).toHaveLength(2)
    expect(named([stitch, reader], ' ')).toHaveLength(2)
    expect(named([stitch, reader], 'nobody')).toEqual([])
  })

  it('tells the threads that were at work, of their own process only', () => {
    const thread = (tid: number, pid: number, cpu: number): Processes['threads'][number] => ({
      tid,
      pid,
      start: 1,
      name: null,
      state: 'R',
      core: 0,
      usage: usage(cpu, 0, 0),
    })
    const table = { threads: [thread(32, 31, 1), thread(33, 31, 0), thread(8, 7, 1)] } as Processes
    expect(threadsOf(table, stitch).map((item) => item.tid)).toEqual([32])
  })

  it('tells what those outside the list had', () => {
    const table: Processes = {
      recorded: true,
      tick: '1970-01-01T00:00:00.001Z',
      processes: [stitch, reader],
      threads: [],
      total: usage(3.5, 900, 5000),
      states: {},
      ended_cores: 0,
    }
    expect(rest(table)).toEqual({
      cpu: 0.5,
      memory: 0,
      io: 904,
      blocked: 0,
      faults: 0,
      threads: 0,
      waiting: 0,
    })
    expect(rest({ ...table, total: null })).toBeNull()
  })
})
