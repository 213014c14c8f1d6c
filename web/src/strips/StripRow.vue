<script setup lang="ts">
import { vExhibit } from '../exhibits/exhibitable'
import { stripPin } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import { usePinning } from '../exhibits/usePinning'
import EndLabels from './EndLabels.vue'
import { useHostLimits } from './useHostLimits'
import type { DrawnStrip } from './useStripData'
import { useSession } from '../workbench/session'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { roundTop, scaleFor, spellAmount, spellNumber, spellRound, type Unit } from '../model/amounts'
import type { Span } from '../model/span'
import { FOLDED, spellDevices } from '../model/strips'
import { useNames } from '../names/useNames'
import { usePictureOf, usePictures } from '../pictures/usePictures'
import { useWorkbench } from '../useWorkbench'
import { DECADES, heightOf, highest } from './chart'
import { placeOf, readingOf } from './reading'
import ReferenceLines from './ReferenceLines.vue'
import StripChart from './StripChart.vue'
import StripMenu from './StripMenu.vue'
import StripReadout from './StripReadout.vue'
import StripSummary from './StripSummary.vue'
import UsualBand from './UsualBand.vue'

/** One strip: its name and choices, its axis, its lines, what it reads at the needle, and its figures. */
interface Props {
  row: DrawnStrip
  window: Span
  /** What the matched strips of this unit have as their highest. */
  matchedTop: number
  /** What moves with the needle over all strips. */
  carriage: HTMLElement | null
}
const props = defineProps<Props>()
const emit = defineEmits<{
  lift: [event: PointerEvent]
  stretch: [event: PointerEvent]
  pressed: [event: KeyboardEvent]
}>()
const names = useNames()
const { charted, archive, window: shown } = useSession()
const bench = useWorkbench()
const limits = useHostLimits()
const strip = computed(() => props.row.strip)
const plan = computed(() => strip.value.plan)
const data = computed(() => props.row.data)

/** An axis never shrinks below this, so that noise on a quiet machine does not look like a storm. */
const LEAST_TOP: Partial<Record<Unit, number>> = { 'bytes/s': 2 ** 20, 'bits/s': 125_000, count: 1, tasks: 2 }

/** Which line the pointer is at, in the figures. */
const highlighted = ref<number | null>(null)
watch(
  () => plan.value.id,
  () => {
    highlighted.value = null
  },
)
const isOfLines = computed(() => plan.value.stackedTo === undefined && data.value.lines.length > 1)
const ofMachine = computed(() => strip.value.devices.kind === 'machine')

/** What the sensors shown should not exceed. */
const heats = computed(() => data.value.lines.flatMap(({ device }) => limits.value.heat[device ?? ''] ?? []))
const top = computed(() => {
  const { edge } = strip.value
  if (edge.kind === 'locked') return edge.top
  if (edge.kind === 'auto' && plan.value.top === 'cores')
    return ofMachine.value || plan.value.byUser ? (limits.value.cores ?? 1) : 1
  if (edge.kind === 'auto' && plan.value.top === 'memory' && limits.value.memoryBytes)
    return limits.value.memoryBytes
  if (edge.kind === 'auto' && plan.value.top === 'whole') return 1
  const own = edge.kind === 'matched' ? props.matchedTop : highest(plan.value, data.value)
  const { reference } = props.row
  const most = reference ? Math.max(own, highest(plan.value, reference.data)) : own
  // How far it is to the limit is what a temperature is read for.
  const least = Math.max(most, ...heats.value, LEAST_TOP[plan.value.unit] ?? 0)
  return roundTop(least, scaleFor(plan.value.unit, least))
})
const scale = computed(() => scaleFor(plan.value.unit, top.value))
const place = (value: number): number => heightOf(value, top.value, strip.value.log)

/** What physics sets: the speed of the only link shown, or the cores, where the strip does not end there anyway. */
const limit = computed(() => {
  const { devices } = strip.value
  const only = devices.kind === 'named' && devices.names.length === 1 ? devices.names[0] : null
  const { cores } = limits.value
  const speeds = Object.values(limits.value.speeds)
  const bits = only ? limits.value.speeds[only] : speeds.length === 1 ? speeds[0] : undefined
  const heat = heats.value
  const found = heat.length
    ? {
        value: Math.min(...heat),
        label: heat.length > 1 ? 'lowest limit of these sensors' : 'the sensor’s limit',
      }
    : plan.value.unit === 'bits/s' && bits
      ? { value: bits / 8, label: 'link speed' }
      : plan.value.unit === 'cores' && ofMachine.value && cores
        ? { value: cores, label: `${cores} cores` }
        : null
  return found && found.value < top.value * 0.999 ? found : null
})

function labelled(label: string): string {
  const { per } = plan.value
  // The names of sensors and mounts may hold blanks.
  const device = data.value.lines.find((line) => line.label === label)?.device ?? null
  return per && !ofMachine.value && device !== null && label.startsWith(device)
    ? names.labelOf(per, device) + label.slice(device.length)
    : label
}

/** The key to layers, each with its mean. The lines of other strips have theirs in the figures. */
const keys = computed(() => {
  const { lines } = data.value
  if (plan.value.stackedTo === undefined) return []
  const own = scaleFor(plan.value.unit, Math.max(0, ...lines.map((line) => line.summary?.mean ?? 0)))
  const room = Math.max(Math.floor((strip.value.height - 36) / 14), 1)
  return lines.slice(0, lines.length > room ? room - 1 : room).map((line) => ({
    label: labelled(line.label),
    mean: spellNumber(line.summary?.mean, own),
    title: `${labelled(line.label)}: mean ${spellAmount(line.summary?.mean, plan.value.unit)}, high ${spellAmount(line.summary?.high, plan.value.unit)}`,
    fill: `color-mix(in srgb, var(--color-${plan.value.resource}) ${line.weight * 72}%, var(--color-paper))`,
  }))
})
const rest = computed(() => {
  const shown = plan.value.stackedTo === undefined ? data.value.lines.length : keys.value.length
  return Math.max(data.value.found - shown, 0)
})
const about = computed(() => {
  const { devices } = strip.value
  if (devices.kind === 'machine' || plan.value.byUser) return plan.value.note
  const of =
    devices.kind === 'named' && plan.value.per
      ? devices.names.map((name) => names.labelOf(plan.value.per ?? 'disk', name)).join(', ')
      : spellDevices(devices)
  return plan.value.note ? `${of} · ${plan.value.note}` : of
})
const marks = computed(() =>
  [
    strip.value.edge.kind === 'locked' ? 'locked' : null,
    strip.value.edge.kind === 'matched' ? 'matched' : null,
    strip.value.log ? 'log' : null,
  ].filter(Boolean),
)
const pictures = usePictures()
const handed = usePictureOf()
pictures.strips.set(
  strip.value.key,
  computed(() => ({
    plan: plan.value,
    data: data.value,
    about: about.value,
    top: top.value,
    log: strip.value.log,
    scale: scale.value,
    height: strip.value.height - 16,
    labelled,
    points: shown.width.value,
    binS: bench.averaging === null || data.value.binMs === null ? null : data.value.binMs / 1000,
  })),
)
const pinning = usePinning()
const placed = usePlace()
function pinOf(): ReturnType<typeof stripPin> | null {
  const [place, picture] = [placed(), pictures.strips.get(strip.value.key)?.value]
  return place && picture?.data.lines.length ? stripPin(place, picture) : null
}
function pinStrip(): void {
  const pin = pinOf()
  if (pin) pinning.pin(pin)
}
onBeforeUnmount(() => pictures.strips.delete(strip.value.key))
/** What it reads at the needle, all lines of it, with what makes it readable elsewhere. */
function copyReading(): void {
  const at = placeOf(data.value, props.window, bench.needle)
  const reading = readingOf(strip.value, data.value, at, labelled, Infinity)
  const when = new Date(bench.needle ?? 0).toISOString()
  const words = `${plan.value.title}: ${reading?.text ?? 'nothing recorded'} (${archive.value?.host.name ?? ''}, ${when})`
  void handed.copyText(words, `${plan.value.title} at the needle`)
}
const description = computed(() => {
  const say = (value: number | null): string => spellAmount(value, plan.value.unit)
  const summaries = data.value.lines.slice(0, 8).map(({ label, summary }) => {
    if (!summary || summary.mean === null) return null
    return `${label}: lowest ${say(summary.low)}, mean ${say(summary.mean)}, highest ${say(summary.high)}`
  })
  return `${plan.value.title}. ${summaries.filter(Boolean).join('; ') || 'nothing recorded in this window'}`
})
</script>

<template>
  <section
    v-exhibit="pinOf"
    class="strip-grid relative break-inside-avoid border-b border-rule/60 contain-content print:contain-none"
    :style="{ height: `${strip.folded ? FOLDED : strip.height}px` }"
    :aria-label="plan.title"
    :data-strip="plan.id"
  >
    <header class="group relative min-w-0 overflow-hidden pl-[18px]" :class="strip.folded ? 'pt-1' : 'pt-2'">
      <div class="flex items-start gap-0.5">
        <h2
          class="min-w-0 cursor-grab font-serif text-[15px] leading-[1.15] font-semibold select-none"
          tabindex="0"
          :title="`${plan.title}: drag to move it (Alt ↑ ↓), Shift ↑ ↓ for its height`"
          @pointerdown="emit('lift', $event)"
          @keydown="emit('pressed', $event)"
        >
          {{ plan.title }}
        </h2>
        <StripMenu
          class="-mt-px"
          :strip="strip"
          :top="top"
          :scale="scale"
          :devices="row.devices"
          :measures="charted"
          @copy-reading="copyReading"
          @exhibit="pinStrip"
        />
      </div>
      <p v-if="!strip.folded" class="text-2xs leading-[14px] text-soft">
        {{ about }}
        <b v-for="mark in marks" :key="mark ?? ''" class="mr-1 font-semibold text-ink" data-edge-mark>{{
          mark
        }}</b>
        <span
          v-for="each in keys"
          :key="each.label"
          class="mr-2 inline-block whitespace-nowrap"
          :title="each.title"
          data-key
        >
          <span
            class="mr-1 inline-block size-2 border border-rule-strong"
            :style="{ background: each.fill }"
          />{{ each.label }} <span class="text-ink">{{ each.mean }}</span>
        </span>
        <span v-if="rest">and {{ rest }} more</span>
      </p>
      <div
        v-if="!strip.folded"
        class="absolute inset-x-0 bottom-0 h-1.5 cursor-ns-resize touch-none"
        data-strip-edge
        @pointerdown="emit('stretch', $event)"
      />
    </header>
    <template v-if="!strip.folded">
      <div
        class="flex flex-col justify-between py-1 pr-2 text-right text-2xs text-soft"
        aria-hidden="true"
        data-axis
      >
        <span
          >{{ spellRound(top, scale) }}<br v-if="scale.unit.length > 1" />
          {{ scale.unit }}</span
        >
        <span>{{ strip.log ? spellRound(top / 10 ** DECADES, scale) : 0 }}</span>
      </div>
      <div class="relative my-2" role="img" :aria-label="description">
        <p v-if="data.missing" class="hatched flex h-full items-center justify-center text-soft">
          <span class="bg-paper px-2">{{ data.missing }}</span>
        </p>
        <UsualBand
          v-if="row.usual && !data.missing"
          :plan="plan"
          :usual="row.usual.found"
          :of="row.usual.of"
          :window="window"
          :top="top"
          :log="strip.log"
        />
        <ReferenceLines
          v-if="row.reference && !data.missing"
          :plan="plan"
          :data="row.reference.data"
          :own="data"
          :span="row.reference.span"
          :top="top"
          :log="strip.log"
        />
        <StripChart
          v-if="!data.missing"
          :plan="plan"
          :data="data"
          :window="window"
          :top="top"
          :log="strip.log"
          :highlighted="highlighted"
        />
        <EndLabels
          v-if="isOfLines"
          :data="data"
          :resource="plan.resource"
          :top="top"
          :log="strip.log"
          :height="strip.height - 16"
          :labelled="labelled"
          :highlighted="highlighted"
        />
        <div
          v-if="limit"
          class="pointer-events-none absolute inset-x-0 border-t border-dashed border-ink/60"
          :style="{ bottom: `${place(limit.value) * 100}%` }"
          data-limit
        >
          <span class="absolute right-1 bottom-0 bg-paper/85 px-1 text-[10px] leading-3 text-soft">{{
            limit.label
          }}</span>
        </div>
        <div
          v-if="strip.line !== null && place(strip.line) < 1"
          class="pointer-events-none absolute inset-x-0 border-t border-needle"
          :style="{ bottom: `${place(strip.line) * 100}%` }"
          data-line
        />
        <StripReadout
          :strip="strip"
          :data="data"
          :window="window"
          :top="top"
          :labelled="labelled"
          :carriage="carriage"
          :offset="row.offset"
        />
      </div>
      <StripSummary
        :labelled="labelled"
        :highlighted="highlighted"
        :strip="strip"
        :data="row.since ?? data"
        :shown="data"
        :since="row.since !== null"
        @highlight="highlighted = $event"
      />
    </template>
  </section>
</template>
