// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { actionOf, KEYS } from './keys'

const press = (
  key: string,
  more: KeyboardEventInit = {},
  target: HTMLElement = document.body,
): ReturnType<typeof actionOf> => {
  if (target !== document.body) document.body.append(target)
  let found: ReturnType<typeof actionOf> = null
  const listen = (event: KeyboardEvent): void => {
    found = actionOf(event)
  }
  window.addEventListener('keydown', listen)
  target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }))
  window.removeEventListener('keydown', listen)
  return found
}

describe('keys', () => {
  it('each do one thing', () => {
    const names = KEYS.map((key) => `${key.key}${key.shift ?? false}`)
    expect(new Set(names).size).toBe(names.length)
  })

  it.each([
    [' ', {}, 'play'],
    ['ArrowRight', {}, 'forward'],
    ['ArrowRight', { shiftKey: true }, 'later'],
    ['N', {}, 'next'],
    ['=', {}, 'closer'],
    ['?', { shiftKey: true }, 'help'],
    ['y', {}, null],
    ['t', { ctrlKey: true }, null],
  ])('%s does %s', (key, more, action) => {
    expect(press(key, more)).toBe(action)
  })

  it('leave fields and the space of buttons alone', () => {
    expect(press('n', {}, document.createElement('input'))).toBeNull()
    expect(press(' ', {}, document.createElement('button'))).toBeNull()
  })
})
