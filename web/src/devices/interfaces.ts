import type { HostFacts, Moment, SeriesSet } from '../api/client'
import { scaleFor, spellAmount, spellNumber, type Scale } from '../model/amounts'

type Link = NonNullable<HostFacts['links']>[string]

export const WAYS = [
  { way: 'received', measure: 'net.receive.rate' },
  { way: 'sent', measure: 'net.send.rate' },
] as const
export const RATES = WAYS.map(({ measure }) => `${measure}@*`)

export interface InterfaceRow {
  name: string
  way: (typeof WAYS)[number]['way']
  now: number | null
  mean: number | null
  low: number | null
  high: number | null
  total: number | null
}

/** Each interface and direction: the window's figures, and what it carries at the moment. */
export function interfaceRows(set: SeriesSet | undefined, moment: Moment | undefined): InterfaceRow[] {
  const names = [...new Set(set?.series.flatMap((item) => (item.device === null ? [] : [item.device])) ?? [])]
  return names.flatMap((name) =>
    WAYS.map(({ way, measure }) => {
      const found = set?.series.find((item) => item.measure === measure && item.device === name)?.summary
      const now = moment?.readings.find((item) => item.measure === measure && item.device === name)
      return {
        name,
        way,
        now: now?.value ?? null,
        mean: found?.mean ?? null,
        low: found?.low ?? null,
        high: found?.high ?? null,
        total: found?.total ?? null,
      }
    }),
  )
}

/** Whether nothing went over it in the window, either way. */
export const isIdle = (rows: readonly InterfaceRow[], name: string): boolean =>
  rows.every((row) => row.name !== name || !row.total)

/** One scale for every rate, so that they compare at a glance. */
export const rateScale = (rows: readonly InterfaceRow[]): Scale =>
  scaleFor('bits/s', Math.max(0, ...rows.map((row) => row.high ?? 0)))

export const interfaceCells = (row: InterfaceRow, scale: Scale): string[] => [
  row.way === 'received' ? row.name : '',
  row.way,
  spellNumber(row.now, scale),
  spellNumber(row.mean, scale),
  spellNumber(row.low, scale),
  spellNumber(row.high, scale),
  spellAmount(row.total, 'bytes'),
]

/** What an interface is, in words; what is not known is left out. */
export function spellLinkFacts(link: Link | undefined): string {
  if (!link) return ''
  const { speed_bits_per_s: speed, mtu_bytes: mtu } = link
  return [
    link.physical === false ? 'virtual' : null,
    typeof speed === 'number' ? spellAmount(speed / 8, 'bits/s') : null,
    link.duplex && link.duplex !== 'unknown' ? `${link.duplex} duplex` : null,
    link.carrier === false ? 'no carrier' : null,
    typeof mtu === 'number' ? `MTU ${mtu} B` : null,
    link.driver ? `driver ${link.driver}` : null,
    ...(link.addresses ?? []),
  ]
    .filter(Boolean)
    .join(' · ')
}
