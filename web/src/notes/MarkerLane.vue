<script setup lang="ts">
import { useTimes } from '../useTimes'
import { toMs } from '../model/instant'
import { computed } from 'vue'
import type { Marker } from '../api/client'
import type { Span } from '../model/span'
import NeedleLine from '../ui/NeedleLine.vue'
import { placesOf, type Place, type Shape } from './markers'

/** Log lines, remarks and reported gaps above the strips. Bad ones are full, warnings hollow, the rest short strokes. */
interface Props {
  markers: Marker[]
  window: Span
  /** What the lane is of. */
  title?: string
}
const props = withDefaults(defineProps<Props>(), { title: 'Notes' })
defineEmits<{ find: [marker: Marker] }>()
const times = useTimes()
const STEPS = 160
const MARK: Record<Exclude<Shape, 'stretch'>, string> = {
  bad: 'size-2 rotate-45 bg-ink',
  warning: 'size-2 rotate-45 border border-ink bg-paper',
  plain: 'h-2 w-px bg-soft',
  change: 'size-[7px] border-[1.5px] border-ink bg-paper',
  note: 'size-2 rounded-full border-2 border-needle bg-paper',
}
const places = computed(() => placesOf(props.markers, props.window, STEPS))
const say = ({ markers }: Place): string => {
  const lines = markers
    .slice(0, 6)
    .map((item) => `${times.at(toMs(item.at))}  ${item.severity ?? item.kind}  ${item.text}`)
  return markers.length > 6 ? [...lines, `and ${markers.length - 6} more`].join('\n') : lines.join('\n')
}
</script>

<template>
  <div class="strip-grid h-5 shrink-0 border-b border-rule" data-marker-lane>
    <p class="truncate pl-[18px] text-2xs text-soft" :title="title">{{ title }}</p>
    <div class="relative col-start-3 overflow-hidden">
      <template v-for="place in places" :key="place.markers[0]!.ident">
        <button
          v-if="place.shape === 'stretch'"
          type="button"
          class="hatched absolute inset-y-1 min-w-1 border-x border-soft"
          :style="{ left: `${place.from * 100}%`, width: `${(place.to - place.from) * 100}%` }"
          :title="say(place)"
          :aria-label="say(place)"
          @click="$emit('find', place.markers[0]!)"
        />
        <button
          v-else
          type="button"
          class="absolute inset-y-0 flex w-3 -translate-x-1/2 items-center justify-center"
          :style="{ left: `${place.from * 100}%` }"
          :title="say(place)"
          :aria-label="say(place)"
          @click="$emit('find', place.markers[0]!)"
        >
          <span :class="MARK[place.shape]" />
        </button>
      </template>
      <NeedleLine class="inset-y-0" :span="window">
        <div class="absolute inset-y-0 -ml-px w-[1.5px] bg-needle" />
      </NeedleLine>
    </div>
  </div>
</template>
