/** A plan as the form holds it: texts, so that what is typed stays as it was typed until the server judges it. */
export interface GroupForm {
  record: boolean
  every: string
}

export interface WeekForm {
  days: string[]
  from: string
  to: string
}

export interface DeviceForm {
  only: string
  without: string
  idle: boolean
}

export interface PlanForm {
  name: string
  every: string
  keep: string
  start: string
  end: string
  weekly: WeekForm[]
  groups: Record<string, GroupForm>
  devices: Record<string, DeviceForm>
  burst: { every: string; last: string; resource: string; scope: string; above: string; for: string }
  arguments: boolean
  threads: boolean
  controlGroups: string
  log: string
}

export const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']
export const DEVICE_KINDS: { kind: string; title: string }[] = [
  { kind: 'disk', title: 'Disks' },
  { kind: 'interface', title: 'Interfaces' },
  { kind: 'filesystem', title: 'Mount points' },
  { kind: 'cgroup', title: 'Control groups' },
]
const BURST = { every: '', last: '', resource: '', scope: 'some', above: '', for: '' }

type Json = Record<string, unknown>
const object = (value: unknown): Json =>
  typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Json) : {}
/** A text or number as text; anything else has its usual value. */
export const text = (value: unknown, usual = ''): string =>
  typeof value === 'string' || typeof value === 'number' ? String(value) : usual
const list = (value: unknown): string[] => (Array.isArray(value) ? value.map((each) => text(each)) : [])
const words = (typed: string): string[] => typed.split(/[\s,]+/).filter(Boolean)

/** The form of a plan; of an empty object, that of a new one. */
export function toForm(plan: Json, groups: string[]): PlanForm {
  const when = object(plan.when)
  const devices = object(plan.devices)
  const wishes = object(plan.groups)
  const burst = object(plan.burst)
  return {
    name: text(plan.name),
    every: text(plan.every, '1s'),
    keep: text(plan.keep),
    start: text(when.start),
    end: text(when.end),
    weekly: (Array.isArray(when.weekly) ? when.weekly : []).map((each) => {
      const stretch = object(each)
      return {
        days: stretch.days ? list(stretch.days) : [...DAYS],
        from: text(stretch.from, '00:00'),
        to: text(stretch.to, '24:00'),
      }
    }),
    groups: Object.fromEntries(
      groups.map((group) => {
        const wish = object(wishes[group])
        return [group, { record: wish.record !== false, every: text(wish.every) }]
      }),
    ),
    devices: Object.fromEntries(
      DEVICE_KINDS.map(({ kind }) => {
        const wish = object(devices[kind])
        return [
          kind,
          {
            only: list(wish.only).join(' '),
            without: list(wish.without).join(' '),
            idle: wish.idle !== false,
          },
        ]
      }),
    ),
    burst: {
      every: text(burst.every),
      last: text(burst.last),
      resource: text(burst.resource),
      scope: text(burst.scope, BURST.scope),
      above: text(burst.above),
      for: text(burst.for),
    },
    arguments: plan.arguments === true,
    threads: plan.threads === true,
    controlGroups: list(plan.control_groups).join(' '),
    log: text(plan.log),
  }
}

/** The plan that a form describes; what was left empty is left out, and so has its usual value. */
export function toPlan(form: PlanForm): Json & { name: string } {
  const groups: Json = {}
  for (const [name, wish] of Object.entries(form.groups)) {
    const own = {
      ...(wish.record ? {} : { record: false }),
      ...(wish.every.trim() ? { every: wish.every.trim() } : {}),
    }
    if (Object.keys(own).length) groups[name] = own
  }
  const devices: Json = {}
  for (const [kind, wish] of Object.entries(form.devices)) {
    const own: Json = {}
    if (words(wish.only).length) own.only = words(wish.only)
    if (words(wish.without).length) own.without = words(wish.without)
    if (!wish.idle) own.idle = false
    if (Object.keys(own).length) devices[kind] = own
  }
  const when: Json = {}
  if (form.start.trim()) when.start = form.start.trim()
  if (form.end.trim()) when.end = form.end.trim()
  if (form.weekly.length) when.weekly = form.weekly.map((each) => ({ ...each }))
  const burst: Json = {}
  for (const key of ['every', 'last', 'for', 'resource'] as const)
    if (form.burst[key].trim()) burst[key] = form.burst[key].trim()
  if (form.burst.resource && form.burst.scope !== BURST.scope) burst.scope = form.burst.scope
  if (form.burst.above.trim())
    burst.above = Number.isNaN(Number(form.burst.above)) ? form.burst.above : Number(form.burst.above)
  const plan: Json & { name: string } = { name: form.name.trim(), every: form.every.trim() }
  if (form.keep.trim()) plan.keep = form.keep.trim()
  if (form.arguments) plan.arguments = true
  if (form.threads) plan.threads = true
  if (words(form.controlGroups).length) plan.control_groups = words(form.controlGroups)
  if (form.log) plan.log = form.log
  for (const [key, part] of Object.entries({ groups, devices, when, burst }))
    if (Object.keys(part).length) plan[key] = part
  return plan
}
