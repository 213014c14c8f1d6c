import type { Facts } from '../api/client'
import { spellAmount } from '../model/amounts'

type Json = Record<string, unknown>
const object = (value: unknown): Json =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Json) : {}
const text = (value: unknown): string | null =>
  typeof value === 'string' || typeof value === 'number' ? String(value) : null

function spellDisk(data: Json): string {
  const on = Array.isArray(data.on) && data.on.length ? ` on ${data.on.join(', ')}` : ''
  const kind = data.rotational === true ? ', rotating' : data.rotational === false ? ', not rotating' : ''
  return `${text(data.role) ?? 'disk'}${on}${kind}`
}

function spellLink(data: Json): string {
  const speed = data.speed_bits_per_s
  const known = typeof speed === 'number' ? spellAmount(speed / 8, 'bits/s') : 'speed unknown'
  return `${data.physical === true ? 'physical' : data.physical === false ? 'virtual' : 'interface'}, ${known}`
}

/** Facts as name and value, in the order in which a person asks for them. */
export function spellFacts(facts: Json): [string, string][] {
  const out: [string, string | null][] = [
    ['cores', text(facts.cores)],
    ['model', text(facts.model)],
    ['memory', typeof facts.memory_bytes === 'number' ? spellAmount(facts.memory_bytes, 'bytes') : null],
    ['kernel', text(facts.kernel)],
    ['machine', facts.virtual === true ? 'under a hypervisor' : facts.virtual === false ? 'real' : null],
    ['boot', text(facts.boot)],
    ...Object.entries(object(facts.disks)).map(([name, data]): [string, string] => [
      name,
      spellDisk(object(data)),
    ]),
    ...Object.entries(object(facts.links)).map(([name, data]): [string, string] => [
      name,
      spellLink(object(data)),
    ]),
  ]
  return out.filter((item): item is [string, string] => item[1] !== null)
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
    if (lines.length) changes.unshift({ at: Date.parse(later.since), lines })
    earlier = later
  }
  return changes
}

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
