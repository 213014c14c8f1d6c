/** Ids in which one is moved by so many places. */
export function moved(ids: readonly string[], id: string, by: number): string[] {
  const at = ids.indexOf(id)
  if (at < 0) return [...ids]
  const rest = ids.filter((item) => item !== id)
  rest.splice(Math.min(Math.max(at + by, 0), rest.length), 0, id)
  return rest
}

/** Ids in which one stands where another stood. */
export function placed(ids: readonly string[], id: string, before: string): string[] {
  if (id === before) return [...ids]
  const [from, to] = [ids.indexOf(id), ids.indexOf(before)]
  return from < 0 || to < 0 ? [...ids] : moved(ids, id, to - from)
}
