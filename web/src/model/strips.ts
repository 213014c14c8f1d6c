import type { Resource } from '../api/client'
import type { Unit } from './amounts'

export type { Resource }

/** One line or layer of a strip. */
export interface Trace {
  measure: string
  label: string
  /** How strongly it is drawn, 0 to 1: traces of one resource differ in weight, not in colour. */
  weight: number
  dashed?: boolean
}

/** What a strip shows: one or more measures of one unit. */
export interface StripPlan {
  id: string
  title: string
  note: string
  resource: Resource
  unit: Unit
  traces: Trace[]
  /** Layers that add up to the measure named here, instead of lines. */
  stackedTo?: string
  /** Its layers are those who used it, heaviest first, in the order in which they come. */
  byUser?: true
  /** A top that physics sets: all of the cores, all of the time, all of the memory. */
  top?: 'cores' | 'whole' | 'memory'
  /** What the measures have devices of. */
  per?: DeviceClass
}

/** What measures have devices of. */
export type DeviceClass = 'core' | 'disk' | 'interface' | 'filesystem' | 'sensor' | 'log' | 'other'

/** Of which devices a strip tells. */
export type Devices =
  | { kind: 'machine' }
  | { kind: 'each' }
  | { kind: 'hottest'; count: number }
  | { kind: 'sum' }
  | { kind: 'mean' }
  | { kind: 'named'; names: string[] }

/** Where the upper edge of a strip is: found again, held fast, or shared with the other matched strips of its unit. */
export type Edge = { kind: 'auto' } | { kind: 'locked'; top: number } | { kind: 'matched' }

/** A strip as it stands on the page. */
export interface Strip {
  /** Tells apart two strips that show the same. */
  key: number
  plan: StripPlan
  devices: Devices
  edge: Edge
  log: boolean
  height: number
  folded: boolean
  /** A line that the time above it is counted from, in the measure's own unit. */
  line: number | null
}

export const HEIGHT = 92
export const FOLDED = 26
export const HEIGHTS = { least: 60, most: 420 }
export const MOST_STRIPS = 40
export const HOTTEST = 5
const MOST_LINES = 64

let lastKey = 0

export function stripOf(plan: StripPlan, more: Partial<Strip> = {}): Strip {
  lastKey += 1
  return {
    devices: plan.byUser ? { kind: 'each' } : { kind: 'machine' },
    edge: { kind: 'auto' },
    log: false,
    height: HEIGHT,
    folded: false,
    line: null,
    ...more,
    plan,
    key: lastKey,
  }
}

export const clampHeight = (px: number): number =>
  Math.round(Math.min(Math.max(px, HEIGHTS.least), HEIGHTS.most))

/** The names to ask the server for. */
export function namesOf(strip: Strip): string[] {
  const measures = [
    ...strip.plan.traces.map((trace) => trace.measure),
    ...(strip.plan.stackedTo ? [strip.plan.stackedTo] : []),
  ]
  switch (strip.devices.kind) {
    case 'machine':
      return measures
    case 'named':
      return strip.devices.names.flatMap((device) => measures.map((measure) => `${measure}@${device}`))
    default:
      return measures.map((measure) => `${measure}@*`)
  }
}

export const namesOfAll = (strips: Strip[]): string[] => [
  ...new Set(strips.filter((strip) => !strip.folded).flatMap(namesOf)),
]

export const mostLines = (devices: Devices): number =>
  devices.kind === 'hottest' ? devices.count : MOST_LINES

/** Layers cannot stand for several devices at once. */
export const mayChoose = (plan: StripPlan, kind: Devices['kind']): boolean =>
  kind === 'machine' || (plan.per !== undefined && (kind === 'named' || !plan.stackedTo))

export function spellDevices(devices: Devices): string {
  switch (devices.kind) {
    case 'machine':
      return 'the machine'
    case 'each':
      return 'each'
    case 'hottest':
      return `hottest ${devices.count}`
    case 'named':
      return devices.names.join(', ')
    default:
      return devices.kind
  }
}

/* A strip in a link: NAME@DEVICES~MODIFIERS. NAME is that of a ready strip, or measures joined by +. */

/** Parts the strips of a link. */
export const PARTS = ';'

function writeDevices(devices: Devices): string {
  if (devices.kind === 'machine') return ''
  if (devices.kind === 'hottest') return `@top${devices.count}`
  return `@${devices.kind === 'named' ? devices.names.join(',') : devices.kind}`
}

function readDevices(text: string): Devices {
  if (!text) return { kind: 'machine' }
  if (text === 'each' || text === 'sum' || text === 'mean') return { kind: text }
  const hottest = /^top(\d{1,2})$/.exec(text)
  if (hottest) return { kind: 'hottest', count: Math.max(Number(hottest[1]), 1) }
  return { kind: 'named', names: text.split(',').filter(Boolean) }
}

const isReady = (id: string): boolean => !id.includes('.')

export function writeStrips(strips: Strip[]): string {
  return strips
    .map((strip) => {
      const name = isReady(strip.plan.id)
        ? strip.plan.id
        : strip.plan.traces.map((trace) => trace.measure).join('+')
      const changes = [
        ...(strip.height === HEIGHT ? [] : [`h${strip.height}`]),
        ...(strip.log ? ['log'] : []),
        ...(strip.folded ? ['fold'] : []),
        ...(strip.edge.kind === 'locked' ? [`top${strip.edge.top}`] : []),
        ...(strip.edge.kind === 'matched' ? ['match'] : []),
        ...(strip.line === null ? [] : [`line${strip.line}`]),
      ]
      return [`${name}${writeDevices(strip.devices)}`, ...changes].join('~')
    })
    .join(PARTS)
}

const number = (text: string): number | null => (Number.isFinite(Number(text)) ? Number(text) : null)

/** From a link; strips that nothing is known of are left out. */
export function readStrips(text: string, planOf: (name: string) => StripPlan | null): Strip[] {
  return text
    .split(PARTS)
    .slice(0, MOST_STRIPS)
    .flatMap((part) => {
      const [head = '', ...changes] = part.split('~')
      const at = head.lastIndexOf('@')
      const plan = planOf(at < 0 ? head : head.slice(0, at))
      if (!plan) return []
      const devices = readDevices(at < 0 ? '' : head.slice(at + 1))
      const strip = stripOf(plan, mayChoose(plan, devices.kind) ? { devices } : {})
      for (const change of changes) {
        const [, kind = '', value = ''] = /^(h|top|line|log|fold|match)(.*)$/.exec(change) ?? []
        const amount = value === '' ? null : number(value)
        if (kind === 'h' && amount !== null) strip.height = clampHeight(amount)
        if (kind === 'top' && amount !== null && amount > 0) strip.edge = { kind: 'locked', top: amount }
        if (kind === 'line' && amount !== null) strip.line = amount
        if (kind === 'log') strip.log = true
        if (kind === 'fold') strip.folded = true
        if (kind === 'match') strip.edge = { kind: 'matched' }
      }
      return [strip]
    })
}
