import type { PlanDocument } from '../api/client'

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

export const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const
export const DEVICE_KINDS = [
  { kind: 'disk', title: 'Disks' },
  { kind: 'interface', title: 'Interfaces' },
  { kind: 'filesystem', title: 'Mount points' },
  { kind: 'cgroup', title: 'Control groups' },
] as const
type Json = Record<string, unknown>
/** A plan as it was typed: what makes no sense is sent too, for the server to say what is wrong. */
export type TypedPlan = Json & { name: string }
const BURST = { every: '', last: '', resource: '', scope: 'some', above: '', for: '' }

const words = (typed: string): string[] => typed.split(/[\s,]+/).filter(Boolean)

/** The form of a plan; of one that has a name alone, that of a new one. */
export function toForm(plan: PlanDocument, groups: string[]): PlanForm {
  const { when, devices = {}, groups: wishes = {}, burst } = plan
  return {
    name: plan.name,
    every: plan.every ?? '1s',
    keep: plan.keep ?? '',
    start: when?.start ?? '',
    end: when?.end ?? '',
    weekly: (when?.weekly ?? []).map((hours) => ({
      days: [...(hours.days ?? DAYS)],
      from: hours.from ?? '00:00',
      to: hours.to ?? '24:00',
    })),
    groups: Object.fromEntries(
      groups.map((group) => {
        const wish = wishes[group]
        return [group, { record: wish?.record ?? true, every: wish?.every ?? '' }]
      }),
    ),
    devices: Object.fromEntries(
      DEVICE_KINDS.map(({ kind }) => {
        const wish = devices[kind]
        return [
          kind,
          {
            only: (wish?.only ?? []).join(' '),
            without: (wish?.without ?? []).join(' '),
            idle: wish?.idle ?? true,
          },
        ]
      }),
    ),
    burst: {
      every: burst?.every ?? '',
      last: burst?.last ?? '',
      resource: burst?.resource ?? '',
      scope: burst?.scope ?? BURST.scope,
      above: burst?.above === undefined ? '' : String(burst.above),
      for: burst?.for ?? '',
    },
    arguments: plan.arguments ?? false,
    threads: plan.threads ?? false,
    controlGroups: (plan.control_groups ?? []).join(' '),
    log: plan.log ?? '',
  }
}

/** The plan that a form describes; what was left empty is left out, and so has its usual value. */
export function toPlan(form: PlanForm): TypedPlan {
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
  const plan: TypedPlan = { name: form.name.trim(), every: form.every.trim() }
  if (form.keep.trim()) plan.keep = form.keep.trim()
  if (form.arguments) plan.arguments = true
  if (form.threads) plan.threads = true
  if (words(form.controlGroups).length) plan.control_groups = words(form.controlGroups)
  if (form.log) plan.log = form.log
  for (const [key, part] of Object.entries({ groups, devices, when, burst }))
    if (Object.keys(part).length) plan[key] = part
  return plan
}
