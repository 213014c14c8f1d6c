import type { Use } from '../api/client'
import type { DeviceRef } from './layouts'

/** What can be looked at alone besides devices: a process, or what processes are put together by. */
export const WHO = ['process', 'program', 'user', 'group', 'service'] as const
export type WhoKind = (typeof WHO)[number]

export const isWho = (kind: DeviceRef['kind']): kind is WhoKind => (WHO as readonly string[]).includes(kind)

/** One of those who used a resource, as a link names it: of a process its number and start, and its name for people. */
export interface ProcessName {
  pid: number
  start: number
  name: string
}

export const writeProcess = ({ pid, start, name }: ProcessName): string => `${pid},${start},${name}`

export function readProcess(text: string): ProcessName | null {
  const [, pid = '', start = '', name = ''] = /^(\d{1,10}),(\d{1,18}),(.*)$/s.exec(text) ?? []
  return pid ? { pid: Number(pid), start: Number(start), name } : null
}

/** What a person reads in place of the reference. */
export function spellWho({ kind, name }: Pick<DeviceRef, 'kind' | 'name'>): string {
  const process = kind === 'process' ? readProcess(name) : null
  if (process) return `${process.name || 'process'} ${process.pid}`
  return `${kind === 'group' ? 'control group' : kind} ${name}`
}

/** The reference to a row of those who used a resource; null for what is put together under no name. */
export function whoOf(use: Pick<Use, 'by'>, row: Use['rows'][number]): DeviceRef | null {
  if (use.by !== 'process') return { kind: use.by, name: row.name }
  if (row.pid === null || row.start === null) return null
  return { kind: 'process', name: writeProcess({ pid: row.pid, start: row.start, name: row.name }) }
}
