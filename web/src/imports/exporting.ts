/** Addresses of files that go out. The browser saves what comes from there. */

import { toInstant } from '../model/instant'
import type { Span } from '../model/span'
import { namesOfAll, type Strip } from '../model/strips'

export const TABLES = [
  { format: 'csv', title: 'CSV' },
  { format: 'parquet', title: 'Parquet' },
  { format: 'arrow', title: 'Arrow' },
  { format: 'jsonl', title: 'JSON lines' },
  { format: 'openmetrics', title: 'OpenMetrics' },
] as const

/** Who used what is no measure, and stays on the page. */
const isMeasure = (name: string): boolean => !name.startsWith('use.')

/** Every tick of the measures of these strips; null where they have none. */
export function tableAddress(archive: string, strips: Strip[], window: Span, format: string): string | null {
  const names = namesOfAll(strips).filter(isMeasure)
  if (!names.length) return null
  const query = new URLSearchParams(names.map((name) => ['measure', name]))
  query.set('format', format)
  query.set('from', toInstant(window.start))
  query.set('to', toInstant(window.end))
  return `/api/archives/${archive}/table?${query.toString()}`
}

/** An archive (null: whole), or a stretch of it, as a file that checks itself. */
export function archiveAddress(
  archive: string,
  format: string,
  stretch: { from: string; to: string } | null,
): string {
  const query = new URLSearchParams({ format, ...(stretch ?? {}) })
  return `/api/archives/${archive}/file?${query.toString()}`
}
