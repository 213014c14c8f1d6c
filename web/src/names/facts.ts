import { toInstant, toMs } from '../model/instant'
import type { Facts, HostFacts } from '../api/client'
import { spellAmount } from '../model/amounts'

type DiskFacts = NonNullable<HostFacts['disks']>[string]
type LinkFacts = NonNullable<HostFacts['links']>[string]

function spellDisk({ role, on, rotational }: DiskFacts): string {
  const below = on?.length ? ` on ${on.join(', ')}` : ''
  const kind = rotational === true ? ', rotating' : rotational === false ? ', not rotating' : ''
  return `${role}${below}${kind}`
}

function spellLink({ speed_bits_per_s: speed, physical }: LinkFacts): string {
  const known = typeof speed === 'number' ? spellAmount(speed / 8, 'bits/s') : 'speed unknown'
  return `${physical === true ? 'physical' : physical === false ? 'virtual' : 'interface'}, ${known}`
}

/** Facts as name and value, in the order in which a person asks for them. */
export function spellFacts(facts: HostFacts): [string, string][] {
  const { cores, memory_bytes: memory, virtual } = facts
  const out: [string, string | null | undefined][] = [
    ['cores', cores?.toString()],
    ['model', facts.model],
    ['memory', typeof memory === 'number' ? spellAmount(memory, 'bytes') : null],
    ['kernel', facts.kernel],
    ['machine', virtual === true ? 'under a hypervisor' : virtual === false ? 'real' : null],
    ['boot', facts.boot],
    ['clock', facts.timezone],
    ...Object.entries(facts.disks ?? {}).map(([name, disk]): [string, string] => [name, spellDisk(disk)]),
    ...Object.entries(facts.links ?? {}).map(([name, link]): [string, string] => [name, spellLink(link)]),
    ...(facts.listening ?? []).map(({ protocol, address, port, program, user }): [string, string] => [
      `${protocol} port ${port} at ${address}`,
      `${program ?? 'a program that could not be read'}, user ${user ?? 'unknown'}`,
    ]),
    ...Object.entries(facts.mounts ?? {}).map(([mount, { device, kind }]): [string, string] => [
      mount,
      `${kind ?? 'filesystem'} of ${device ?? 'an unknown device'}`,
    ]),
  ]
  return out.filter((item): item is [string, string] => typeof item[1] === 'string')
}

export interface Change {
  at: number
  lines: string[]
}

/** What came, went or became another, from each record to the next; the newest first. */
export function changesOf(history: Facts[]): Change[] {
  const changes: Change[] = []
  let earlier: Facts | null = null
  for (const later of history) {
    const lines = earlier ? differences(spellFacts(earlier.facts), spellFacts(later.facts)) : []
    if (lines.length) changes.unshift({ at: toMs(later.since), lines })
    earlier = later
  }
  return changes
}

/** When a change was seen, as the API writes it. */
export const placed = (at: number): string => toInstant(at)

function differences(earlier: [string, string][], later: [string, string][]): string[] {
  const before = new Map(earlier)
  const after = new Map(later)
  const came = later.flatMap(([name, value]) => {
    const old = before.get(name)
    if (old === undefined) return [`${name} came: ${value}`]
    return old === value ? [] : [`${name}: ${old} → ${value}`]
  })
  const went = earlier.filter(([name]) => !after.has(name)).map(([name, value]) => `${name} went: ${value}`)
  return [...came, ...went]
}
