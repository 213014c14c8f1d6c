/** The prompts of an investigation: short, each of use, none of them needed. */

export interface Prompt {
  path: string
  label: string
  hint: string
}

export const PROMPTS: Prompt[] = [
  { path: 'noticed', label: 'noticed by', hint: 'who, and how?' },
  { path: 'when', label: 'when', hint: 'in words, beside the window' },
  { path: 'since', label: 'since', hint: 'the first time that it was not as usual' },
  { path: 'where', label: 'where', hint: 'which hosts, disks, services?' },
  { path: 'unaffected', label: 'not affected', hint: 'what is as always?' },
  { path: 'usual', label: 'usual', hint: 'how it is on a good day' },
  { path: 'changed', label: 'changed', hint: 'updates, load, people, cables?' },
]

export const PATTERNS = ['', 'once', 'constant', 'intermittent', 'recurring'] as const

const OTHERS: Record<string, string> = {
  question: 'the question',
  answer: 'the answer',
  next: 'what to do next',
  report: 'the report',
  order: 'the order of the exhibits',
  window: 'the window',
  reference: 'the reference',
  changed_at: 'when it changed',
  hosts: 'the hosts',
  pattern: 'how often',
}

/** What people call a field. */
export function labelOf(path: string): string {
  const [name = ''] = path.split('/')
  if (name === 'captions') return 'a caption'
  if (name === 'hypotheses') return 'a hypothesis'
  return PROMPTS.find((prompt) => prompt.path === name)?.label ?? OTHERS[name] ?? name
}
