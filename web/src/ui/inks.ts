import type { Theme } from '../usePreferences'

const known = new Map<string, string>()

/**
 * A colour of the theme by its name, such as `paper` or a resource. To read one, the browser works out the styles of all
 * that has just changed; so each is read once.
 */
export function inkOf(name: string, theme: Theme): string {
  const key = `${theme} ${name}`
  const ink =
    known.get(key) ?? getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`).trim()
  if (ink) known.set(key, ink)
  return ink
}
