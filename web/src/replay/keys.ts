/** Every key of the workbench, in one list: the dialog shows it, and `useKeys` acts on it. */

export type KeyAction =
  | 'play'
  | 'back'
  | 'forward'
  | 'earlier'
  | 'later'
  | 'closer'
  | 'wider'
  | 'whole'
  | 'windowBefore'
  | 'windowAfter'
  | 'undo'
  | 'redo'
  | 'map'
  | 'find'
  | 'mark'
  | 'loop'
  | 'pin'
  | 'exhibit'
  | 'nextGap'
  | 'next'
  | 'previous'
  | 'slower'
  | 'faster'
  | 'follow'
  | 'zone'
  | 'theme'
  | 'settings'
  | 'help'

export interface Key {
  action: KeyAction
  /** KeyboardEvent.key, with Shift where it is meant. */
  key: string
  shift?: boolean
  /** With Control, or Command where that is usual. */
  control?: boolean
  shown: string[]
  label: string
}

export const KEYS: Key[] = [
  { action: 'play', key: ' ', shown: ['Space'], label: 'play, pause' },
  { action: 'back', key: 'ArrowLeft', shown: ['←'], label: 'one tick back' },
  { action: 'forward', key: 'ArrowRight', shown: ['→'], label: 'one tick on' },
  { action: 'earlier', key: 'ArrowLeft', shift: true, shown: ['Shift', '←'], label: 'half a window earlier' },
  { action: 'later', key: 'ArrowRight', shift: true, shown: ['Shift', '→'], label: 'half a window later' },
  { action: 'closer', key: '+', shown: ['+'], label: 'zoom in, around the needle' },
  { action: 'wider', key: '-', shown: ['−'], label: 'zoom out' },
  { action: 'whole', key: '0', shown: ['0'], label: 'the whole archive' },
  { action: 'windowBefore', key: 'Backspace', shown: ['⌫'], label: 'the window before' },
  { action: 'windowAfter', key: 'Backspace', shift: true, shown: ['Shift', '⌫'], label: 'the window after' },
  { action: 'undo', key: 'z', control: true, shown: ['Ctrl', 'Z'], label: 'undo: window, strips, layout' },
  { action: 'redo', key: 'z', control: true, shift: true, shown: ['Ctrl', 'Shift', 'Z'], label: 'redo' },
  { action: 'map', key: 'm', shown: ['M'], label: 'show or fold the strain map' },
  { action: 'find', key: '/', shown: ['/'], label: 'find a measure, a time, a process' },
  { action: 'mark', key: 'k', shown: ['K'], label: 'mark the needle’s place: figures since then' },
  { action: 'pin', key: 'c', shown: ['C'], label: 'pin this moment, to compare others with it' },
  { action: 'exhibit', key: 'x', shown: ['X'], label: 'pin what is under the pointer as an exhibit' },
  { action: 'loop', key: 'o', shown: ['O'], label: 'play the window over and over' },
  { action: 'nextGap', key: 'g', shown: ['G'], label: 'next gap' },
  { action: 'next', key: 'n', shown: ['N'], label: 'next finding' },
  { action: 'previous', key: 'p', shown: ['P'], label: 'previous finding' },
  { action: 'slower', key: '[', shown: ['['], label: 'slower pace' },
  { action: 'faster', key: ']', shown: [']'], label: 'faster pace' },
  { action: 'follow', key: 'l', shown: ['L'], label: 'follow live' },
  { action: 'zone', key: 'u', shown: ['U'], label: 'local time, UTC, the host’s clock' },
  { action: 'theme', key: 't', shown: ['T'], label: 'day or night' },
  { action: 'settings', key: ',', shown: [','], label: 'settings' },
  { action: 'help', key: '?', shown: ['?'], label: 'these keys' },
]

/** The action of a key press; null for keys that belong to a field, a control or the browser. */
export function actionOf(event: KeyboardEvent): KeyAction | null {
  if (event.altKey) return null
  const control = event.ctrlKey || event.metaKey
  const target = event.target instanceof Element ? event.target : null
  if (target?.closest('input, textarea, select, [role="listbox"]')) return null
  // A panel hangs over the page with what can be pinned; all other keys are the page's.
  if (target?.closest('[role="dialog"]') && event.key.toLowerCase() !== 'x') return null
  // Space and arrows belong to the button, tab or link that has the focus.
  if (event.key === ' ' && target?.closest('button, a, [role="tab"]')) return null
  if (event.key.startsWith('Arrow') && target?.closest('[role="tab"]')) return null
  const key = event.key === '=' ? '+' : event.key.length === 1 ? event.key.toLowerCase() : event.key
  const shifts = key.startsWith('Arrow') || key === 'Backspace' || control
  return (
    KEYS.find(
      (known) =>
        known.key === key &&
        (known.control ?? false) === control &&
        (!shifts || (known.shift ?? false) === event.shiftKey),
    )?.action ?? null
  )
}
