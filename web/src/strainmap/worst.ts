import type { StrainRow } from '../api/client'

export interface Worst {
  mean: (number | null)[]
  high: (number | null)[]
}

/** Of all rows the one that was pressed hardest, at each time. */
export function worstRow(rows: readonly StrainRow[]): Worst {
  const known = rows.flatMap((row) => (row.mean && row.high ? [{ mean: row.mean, high: row.high }] : []))
  const most = (at: number, of: keyof Worst): number | null =>
    known.reduce<number | null>((highest, row) => {
      const value = row[of][at] ?? null
      return value === null ? highest : Math.max(value, highest ?? 0)
    }, null)
  const bins = known[0]?.mean.length ?? 0
  return {
    mean: Array.from({ length: bins }, (_, at) => most(at, 'mean')),
    high: Array.from({ length: bins }, (_, at) => most(at, 'high')),
  }
}
