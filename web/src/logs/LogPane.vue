<script setup lang="ts">
import { refThrottled } from '@vueuse/core'
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue'
import type { LogInfo, Pin } from '../api/client'
import { MOST_LINES, useLines } from '../api/queries'
import { vExhibit } from '../exhibits/exhibitable'
import PinButton from '../exhibits/PinButton.vue'
import { placeOf } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import { toMs } from '../model/instant'
import { shapeOf } from '../notes/markers'
import { useTimes } from '../useTimes'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { ALL, isTooNear, lineAt } from './lines'

/** One log's lines around the needle: the line that stands there is marked, and stays in view as the needle moves. */
interface Props {
  /** Which one; '' is all of them together. */
  log: string
  logs: LogInfo[]
  holding: string
  label: string
}
const props = defineProps<Props>()
defineEmits<{ choose: [log: string] }>()

const FOLLOW_EVERY_MS = 120
const bench = useWorkbench()
const times = useTimes()
const { id, isLive, window: shown, moves } = useSession()
const list = useTemplateRef<HTMLOListElement>('list')

const here = refThrottled(
  computed(() => bench.needle ?? bench.window?.end ?? null),
  FOLLOW_EVERY_MS,
  true,
  true,
)
/** Lines are loaded around it; it follows the needle once that comes near the end of them. */
const anchor = ref<number | null>(null)
const { data, error, isPending, isPlaceholderData } = useLines(
  id,
  anchor,
  computed(() => ({ log: props.log, holding: props.holding.trim(), severity: shown.severity.value })),
  isLive,
)
const lines = computed(() => data.value?.markers ?? [])
const current = computed(() => (here.value === null ? -1 : lineAt(lines.value, here.value)))
watch(
  here,
  (at) => {
    if (at !== null && (anchor.value === null || isTooNear(lines.value, at, MOST_LINES))) anchor.value = at
  },
  { immediate: true },
)
watch([() => props.log, () => props.holding, shown.severity], () => {
  anchor.value = here.value
})

/** The needle's line in the middle; without touching what the page itself has scrolled to. */
async function showCurrent(): Promise<void> {
  await nextTick()
  const box = list.value
  const line = box?.children[Math.max(current.value, 0)]
  if (box && line instanceof HTMLElement)
    box.scrollTop = line.offsetTop - box.offsetTop - (box.clientHeight - line.clientHeight) / 2
}
watch([current, lines], showCurrent, { immediate: true })

const WEIGHT = {
  bad: 'font-semibold',
  warning: 'text-ink',
  plain: 'text-soft',
  note: '',
  stretch: '',
  change: '',
}
const isShort = computed(() => lines.value.length >= MOST_LINES)
const placed = usePlace()
/** The window's lines of this log, as they are chosen here. */
function pinOf(): Pin | null {
  const place = placed()
  if (!place || !lines.value.length) return null
  return {
    kind: 'log',
    ...placeOf(place),
    severity: shown.severity.value,
    logs: props.log === ALL ? [] : [props.log],
    holding: props.holding.trim(),
  }
}
</script>

<template>
  <section v-exhibit="pinOf" class="flex min-w-0 grow basis-0 flex-col" :aria-label="label" data-log-pane>
    <div class="flex items-baseline gap-2 border-b border-rule pb-0.5">
      <select
        :value="log"
        :aria-label="`${label}: which log`"
        class="max-w-[60%] border-b border-rule bg-leaf py-0.5 font-semibold"
        @change="$emit('choose', ($event.target as HTMLSelectElement).value)"
      >
        <option :value="ALL">all logs</option>
        <option v-for="item in logs" :key="item.name" :value="item.name">{{ item.name }}</option>
        <option v-if="log !== ALL && !logs.some((item) => item.name === log)" :value="log">
          {{ log }} (not kept here)
        </option>
      </select>
      <span class="truncate text-2xs text-soft" role="status">
        <template v-if="isPlaceholderData">reading …</template>
        <template v-else-if="isShort">{{ lines.length }} lines around the needle</template>
        <template v-else-if="lines.length"
          >{{ lines.length }} {{ lines.length === 1 ? 'line' : 'lines' }}</template
        >
      </span>
      <PinButton label="Pin the window’s lines of this log as an exhibit" :what="pinOf" />
      <slot />
    </div>
    <p v-if="error" class="py-1 text-soft">The lines cannot be read: {{ error.message }}</p>
    <p v-else-if="isPending" class="py-1 text-soft" role="status">reading the lines …</p>
    <p v-else-if="!lines.length" class="py-1 text-soft">
      {{ holding ? `No line holds “${holding}”` : 'No line is as bad as that' }}; try another severity or
      text.
    </p>
    <ol
      v-else
      ref="list"
      class="grow overflow-y-auto"
      tabindex="0"
      :aria-label="`${label}, in the order of time`"
    >
      <li v-for="(line, at) in lines" :key="line.ident">
        <button
          type="button"
          class="grid w-full grid-cols-[auto_1fr] gap-x-2 border-l-2 px-1 text-left hover:bg-rule/40"
          :class="at === current ? 'border-needle bg-rule/30' : 'border-transparent'"
          :aria-current="at === current ? 'time' : undefined"
          :title="`${line.severity ?? ''} ${line.log}`"
          @click="moves.toLine(line)"
        >
          <span class="text-2xs leading-5 whitespace-nowrap text-soft tabular-nums">{{
            times.at(toMs(line.at))
          }}</span>
          <span class="min-w-0 break-words" :class="WEIGHT[shapeOf(line)]"
            ><span v-if="log === ALL" class="text-2xs text-soft">{{ line.log }} </span
            ><span v-if="shapeOf(line) === 'bad'" class="text-needle" aria-hidden="true">◆ </span
            ><span v-else-if="shapeOf(line) === 'warning'" class="text-needle" aria-hidden="true">◇ </span
            >{{ line.text }}</span
          >
        </button>
      </li>
    </ol>
  </section>
</template>
