<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, onMounted, ref, useTemplateRef, watch } from 'vue'
import { usePlacement } from '../api/queries'
import { spellDuration } from '../model/clock'
import { lengthOf, type Span } from '../model/span'
import { inkOf } from '../ui/inks'
import { usePreferences } from '../usePreferences'
import { useSession } from '../workbench/session'
import { drawnRuns, rowHeight, runAt } from './coreRuns'

/** Who ran on which core over the window: a row a core, darker where more of the core was used. */
const props = defineProps<{ window: Span }>()

const BIN_PX = 4
const [MOST_BINS, TEXT_PX, LETTER_PX] = [600, 9, 5.2]
const { theme } = usePreferences()
const { id } = useSession()
const surface = useTemplateRef<HTMLDivElement>('surface')
const canvas = useTemplateRef<HTMLCanvasElement>('canvas')
const { width } = useElementSize(surface)
const bins = computed(() => Math.min(Math.floor(width.value / BIN_PX), MOST_BINS))
const { data: placement, error } = usePlacement(
  id,
  computed(() => props.window),
  bins,
)
const rows = computed(() => {
  const found = placement.value
  return (found?.cores ?? []).map((core) => ({
    core: core.core,
    runs: found ? drawnRuns(found, core, props.window) : [],
  }))
})
const height = computed(() => rowHeight(rows.value.length))
const pointed = ref<{ core: number; at: number } | null>(null)
const under = computed(() =>
  pointed.value ? runAt(rows.value[pointed.value.core]?.runs ?? [], pointed.value.at) : null,
)
const spoken = computed(() => {
  const run = under.value
  if (!run || !pointed.value) return ''
  const long = spellDuration(((run.to - run.from) * lengthOf(props.window)) / 1000)
  return `core ${rows.value[pointed.value.core]?.core ?? ''}: ${run.label}, ${Math.round(run.share * 100)} % of it for ${long}`
})

function move(event: PointerEvent): void {
  const box = surface.value?.getBoundingClientRect()
  if (!box) return
  pointed.value = {
    core: Math.floor((event.clientY - box.top) / height.value),
    at: (event.clientX - box.left) / box.width,
  }
}

function paint(): void {
  const context = canvas.value?.getContext('2d')
  if (!canvas.value || !context || !width.value) return
  const scale = devicePixelRatio
  canvas.value.width = width.value * scale
  canvas.value.height = rows.value.length * height.value * scale
  context.scale(scale, scale)
  const [ink, paper] = [inkOf('processor', theme.value), inkOf('paper', theme.value)]
  context.font = `${TEXT_PX}px ${getComputedStyle(document.documentElement).fontFamily}`
  context.textBaseline = 'middle'
  rows.value.forEach(({ runs }, row) => {
    const top = row * height.value
    for (const run of runs) {
      const [left, right] = [run.from * width.value, run.to * width.value]
      const standsBack = under.value !== null && under.value.task !== run.task
      context.globalAlpha = (0.15 + 0.75 * run.share) * (standsBack ? 0.3 : 1)
      context.fillStyle = ink
      context.fillRect(left, top + 0.5, Math.max(right - left - 0.5, 0.5), height.value - 1)
      const room = Math.floor((right - left - 6) / LETTER_PX)
      if (height.value < 10 || room < 4) continue
      context.globalAlpha = standsBack ? 0.5 : 1
      context.fillStyle = run.share > 0.55 && !standsBack ? paper : inkOf('ink', theme.value)
      context.fillText(run.label.slice(0, room), left + 3, top + height.value / 2)
    }
  })
}
onMounted(paint)
watch([rows, width, height, under, theme], paint, { flush: 'post' })
</script>

<template>
  <div class="strip-grid shrink-0 border-b border-rule py-1" data-core-lane>
    <div class="pl-[18px] text-2xs text-soft">
      <p class="font-serif text-[15px] leading-5 font-semibold text-ink">Who ran where</p>
      <p>{{ placement?.of_threads ? 'threads' : 'processes' }}, by the core of each tick</p>
    </div>
    <div class="relative col-start-2 text-right text-[9px] leading-none text-soft" aria-hidden="true">
      <template v-if="height >= 9">
        <p
          v-for="{ core } in rows"
          :key="core"
          class="pr-2"
          :style="{ height: `${height}px`, lineHeight: `${height}px` }"
        >
          {{ core }}
        </p>
      </template>
    </div>
    <div ref="surface" class="relative col-start-3" @pointermove="move" @pointerleave="pointed = null">
      <canvas
        ref="canvas"
        class="block w-full"
        role="img"
        aria-label="Who ran on which core over the window"
        :style="{ height: `${rows.length * height}px` }"
      />
      <p v-if="error" class="text-needle" role="alert">{{ error.message }}</p>
      <p v-else-if="!placement" class="text-2xs text-soft" role="status">Looking who ran where …</p>
      <p v-else-if="!placement.recorded" class="text-2xs text-soft">
        No processes, or nothing of single cores, was recorded.
      </p>
    </div>
    <p class="col-start-4 pl-3 text-2xs" role="status" data-core-under>{{ spoken }}</p>
  </div>
</template>
