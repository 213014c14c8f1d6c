<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Scale } from '../model/amounts'
import { unitOf, type KnownMeasure } from '../model/layouts'
import { clampHeight, HOTTEST, mayChoose, spellDevices, type Devices, type Strip } from '../model/strips'
import { useNames } from '../names/useNames'
import HangingPanel from '../ui/HangingPanel.vue'
import { useFigures } from '../figures/useFigures'
import { parseNumber } from '../model/numbers'
import FormatButtons from '../pictures/FormatButtons.vue'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'

/** Everything that can be chosen about one strip. */
interface Props {
  strip: Strip
  /** The value at the upper edge, and how values are printed. */
  top: number
  scale: Scale
  devices: string[]
  measures: KnownMeasure[]
}
const props = defineProps<Props>()
const emit = defineEmits<{ copyReading: []; exhibit: [] }>()

const board = useStrips()
const figures = useFigures()
const names = useNames()
const bench = useWorkbench()
const TALLER = 40
const change = (more: Partial<Strip>): void => {
  board.change(props.strip.key, more)
}
const KINDS: { devices: Devices; label: string }[] = [
  { devices: { kind: 'machine' }, label: 'the machine' },
  { devices: { kind: 'each' }, label: 'each' },
  { devices: { kind: 'hottest', count: HOTTEST }, label: `hottest ${HOTTEST}` },
  { devices: { kind: 'sum' }, label: 'sum' },
  { devices: { kind: 'mean' }, label: 'mean' },
]
const kinds = computed(() => KINDS.filter((item) => mayChoose(props.strip.plan, item.devices.kind)))
const named = computed(() => (props.strip.devices.kind === 'named' ? props.strip.devices.names : []))
function toggleDevice(name: string): void {
  const next = named.value.includes(name)
    ? named.value.filter((item) => item !== name)
    : // Layers stand for one device at a time.
      [...(props.strip.plan.stackedTo ? [] : named.value), name]
  change({ devices: next.length ? { kind: 'named', names: next } : { kind: 'machine' } })
}

const alike = computed(() =>
  props.strip.plan.stackedTo
    ? []
    : props.measures.filter(
        (item) =>
          unitOf(item.name, item.unit) === props.strip.plan.unit &&
          (item.per ?? null) === (props.strip.plan.per ?? null) &&
          props.strip.plan.traces.every((trace) => trace.measure !== item.name),
      ),
)
function addMeasure(event: Event): void {
  const field = event.target as HTMLSelectElement
  const found = alike.value.find((item) => item.name === field.value)
  field.value = ''
  if (!found) return
  const { plan } = props.strip
  const traces = [
    ...plan.traces,
    {
      measure: found.name,
      label: found.title.toLowerCase(),
      weight: Math.max(1 - plan.traces.length * 0.2, 0.4),
      dashed: plan.traces.length % 2 === 1,
    },
  ]
  const id = traces.map((trace) => trace.measure).join('+')
  change({ plan: { ...plan, id, note: '', traces } })
}

/** A typed upper edge, in the unit that is printed. */
const typedTop = ref('')
const shownTop = computed(() =>
  props.strip.edge.kind === 'locked' ? String(Number((props.top / props.scale.by).toPrecision(6))) : '',
)
const wrongTop = computed(() => typedTop.value !== '' && !((parseNumber(typedTop.value) ?? 0) > 0))
function putTop(event: Event): void {
  typedTop.value = (event.target as HTMLInputElement).value.trim()
  if (typedTop.value === '') change({ edge: { kind: 'auto' } })
  else if (!wrongTop.value)
    change({ edge: { kind: 'locked', top: (parseNumber(typedTop.value) ?? 1) * props.scale.by } })
}

const typedLine = ref('')
// Another strip may take this one's place; what was typed is not about it.
watch(
  () => props.strip.plan.id,
  () => {
    typedTop.value = typedLine.value = ''
  },
)
const shownLine = computed(() =>
  props.strip.line === null ? '' : String(Number((props.strip.line / props.scale.by).toPrecision(6))),
)
function putLine(event: Event): void {
  typedLine.value = (event.target as HTMLInputElement).value.trim()
  const typed = parseNumber(typedLine.value)
  if (typedLine.value === '') change({ line: null })
  else if (typed !== null) change({ line: typed * props.scale.by })
}
const wrongLine = computed(() => typedLine.value !== '' && parseNumber(typedLine.value) === null)
const EDGES = [
  { kind: 'auto', label: 'automatic', title: 'The upper edge follows what is shown' },
  { kind: 'locked', label: 'locked', title: 'The upper edge stays as it is now' },
  {
    kind: 'matched',
    label: 'matched',
    title: 'The same upper edge as the other matched strips of this unit',
  },
] as const
const putEdge = (kind: (typeof EDGES)[number]['kind']): void => {
  change({ edge: kind === 'locked' ? { kind, top: props.top } : { kind } })
}
</script>

<template>
  <HangingPanel
    class="px-1 leading-4 text-soft hover:text-needle"
    :label="`⋯ options for ${strip.plan.title}`"
    :title="`${strip.plan.title}: choices`"
    data-strip-menu
  >
    <template #button>⋯</template>
    <template #default="{ close }">
      <div class="w-[306px] space-y-2 text-2xs" data-strip-choices>
        <h3 class="font-serif text-[15px] font-semibold">{{ strip.plan.title }}</h3>
        <fieldset v-if="strip.plan.per">
          <legend class="text-soft">of</legend>
          <div class="flex flex-wrap gap-x-3">
            <button
              v-for="kind in kinds"
              :key="kind.label"
              type="button"
              class="hover:text-needle"
              :class="
                spellDevices(strip.devices) === spellDevices(kind.devices) ? 'font-semibold underline' : ''
              "
              :aria-pressed="spellDevices(strip.devices) === spellDevices(kind.devices)"
              @click="change({ devices: kind.devices })"
            >
              {{ kind.label }}
            </button>
          </div>
          <div class="mt-0.5 flex max-h-24 flex-wrap gap-x-3 overflow-y-auto">
            <label v-for="name in devices" :key="name" class="flex items-center gap-1">
              <input
                type="checkbox"
                class="accent-ink"
                :checked="named.includes(name)"
                @change="toggleDevice(name)"
              />{{ names.labelOf(strip.plan.per, name) }}
            </label>
          </div>
        </fieldset>
        <fieldset>
          <legend class="text-soft">upper edge</legend>
          <div class="flex gap-3">
            <button
              v-for="edge in EDGES"
              :key="edge.kind"
              type="button"
              class="hover:text-needle"
              :class="strip.edge.kind === edge.kind ? 'font-semibold underline' : ''"
              :aria-pressed="strip.edge.kind === edge.kind"
              :title="edge.title"
              @click="putEdge(edge.kind)"
            >
              {{ edge.label }}
            </button>
            <label v-if="!strip.plan.stackedTo" class="ml-auto flex items-center gap-1">
              <input
                type="checkbox"
                class="accent-ink"
                :checked="strip.log"
                @change="change({ log: !strip.log })"
              />logarithmic
            </label>
          </div>
          <label class="mt-0.5 flex items-baseline gap-2">
            <span class="text-soft">or at</span>
            <input
              class="w-16 border-b border-rule-strong bg-transparent text-right"
              :value="shownTop"
              :aria-invalid="wrongTop"
              aria-label="A value for the upper edge"
              @change="putTop"
            />
            {{ scale.unit }}
            <span v-if="wrongTop" class="text-needle" role="alert">a number above 0, or nothing</span>
          </label>
        </fieldset>
        <label class="flex items-baseline gap-2">
          <span class="text-soft">time above a line at</span>
          <input
            class="w-16 border-b border-rule-strong bg-transparent text-right"
            :value="shownLine"
            :aria-invalid="wrongLine"
            aria-label="A line to count the time above"
            @change="putLine"
          />
          {{ scale.unit }}
          <span v-if="wrongLine" class="text-needle" role="alert">a number, or nothing</span>
        </label>
        <label v-if="alike.length" class="flex items-baseline gap-2">
          <span class="whitespace-nowrap text-soft">show here too</span>
          <select
            class="min-w-0 grow border-b border-rule-strong bg-leaf"
            :aria-label="`A measure to show in ${strip.plan.title} too`"
            @change="addMeasure"
          >
            <option value="">a measure of the same unit …</option>
            <option v-for="measure in alike" :key="measure.name" :value="measure.name">
              {{ measure.title }}
            </option>
          </select>
        </label>
        <div class="flex flex-wrap gap-x-3 border-t border-rule pt-2" role="group" aria-label="Share it">
          <span class="text-soft">copy</span>
          <button
            type="button"
            class="hover:text-needle disabled:opacity-40"
            :disabled="!bench.hasNeedle"
            title="What the strip reads at the needle, with unit, host and time"
            @click="(close(), emit('copyReading'))"
          >
            value
          </button>
          <FormatButtons verb="copy" :strips="[strip.key]" @done="close()" />
          <span class="ml-2 text-soft">save</span>
          <FormatButtons verb="save" :strips="[strip.key]" @done="close()" />
          <button
            type="button"
            class="ml-2 underline decoration-rule-strong underline-offset-2 hover:decoration-ink"
            aria-keyshortcuts="X"
            title="Pin this strip as an exhibit of an investigation, with its numbers (X)"
            data-pin-strip
            @click="(close(), emit('exhibit'))"
          >
            exhibit
          </button>
        </div>
        <div class="flex flex-wrap gap-x-3 border-t border-rule pt-2">
          <button type="button" class="hover:text-needle" @click="board.moveBy(strip.key, -1)">up</button>
          <button type="button" class="hover:text-needle" @click="board.moveBy(strip.key, 1)">down</button>
          <button
            type="button"
            class="hover:text-needle"
            @click="change({ height: clampHeight(strip.height + TALLER) })"
          >
            taller
          </button>
          <button
            type="button"
            class="hover:text-needle"
            @click="change({ height: clampHeight(strip.height - TALLER) })"
          >
            lower
          </button>
          <button type="button" class="hover:text-needle" @click="board.duplicate(strip.key)">
            duplicate
          </button>
          <button
            type="button"
            class="hover:text-needle"
            title="Every tick or bin as a table, to sort, copy and save"
            @click="(close(), figures.open([strip], strip.plan.title))"
          >
            figures
          </button>
          <button
            type="button"
            class="hover:text-needle"
            @click="(close(), change({ folded: !strip.folded }))"
          >
            {{ strip.folded ? 'unfold' : 'fold' }}
          </button>
          <button
            type="button"
            class="text-needle hover:underline"
            @click="(close(), board.remove(strip.key))"
          >
            take away
          </button>
        </div>
      </div>
    </template>
  </HangingPanel>
</template>
