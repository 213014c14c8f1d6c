<script setup lang="ts">
import type { Difference, Pin } from '../api/client'
import { vExhibit } from '../exhibits/exhibitable'
import { spellAmount } from '../model/amounts'
import { unitOf } from '../model/layouts'
import { rowFigures, rowTitle, rowWords } from './words'
import ShapePair from './ShapePair.vue'

/** What differs, the most telling first; the row that is chosen is drawn over time below. */
interface Props {
  rows: Difference[]
  caption: string
  chosen: string | null
  pinOf: (item: Difference) => Pin | null
}
defineProps<Props>()
defineEmits<{ choose: [key: string] }>()
const keyOf = (item: Difference): string => `${item.measure}@${item.device ?? ''}`
const say = (value: number, { measure, unit }: Difference): string =>
  spellAmount(value, unitOf(measure, unit))
</script>

<template>
  <table class="w-full table-fixed">
    <caption class="sr-only">
      {{
        caption
      }}
    </caption>
    <thead>
      <tr class="text-left text-2xs text-soft">
        <th scope="col" class="w-[27%] border-b border-rule-strong pb-0.5 pl-4 font-normal">measure</th>
        <th scope="col" class="w-[11%] border-b border-rule-strong pr-3 pb-0.5 text-right font-normal">
          reference
        </th>
        <th scope="col" class="w-[11%] border-b border-rule-strong pr-3 pb-0.5 text-right font-normal">
          window
        </th>
        <th scope="col" class="w-[22%] border-b border-rule-strong pb-0.5 font-normal">
          both distributions, one scale
        </th>
        <th scope="col" class="border-b border-rule-strong pb-0.5 pl-4 font-normal">in words</th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="item in rows"
        :key="keyOf(item)"
        v-exhibit="() => pinOf(item)"
        class="cursor-pointer border-b border-rule hover:bg-rule/30"
        :class="chosen === keyOf(item) ? 'bg-rule/40' : ''"
        :title="rowFigures(item)"
        data-difference
        @click="$emit('choose', keyOf(item))"
      >
        <td class="py-1">
          <button
            type="button"
            class="flex w-full items-baseline gap-3 text-left"
            :aria-pressed="chosen === keyOf(item)"
            @click.stop="$emit('choose', keyOf(item))"
          >
            <span
              class="h-4 w-1 shrink-0 self-center"
              :style="{ background: `var(--color-${item.resource})` }"
              aria-hidden="true"
            />
            <span class="font-serif text-[15px] font-semibold [overflow-wrap:anywhere]">{{
              rowTitle(item)
            }}</span>
          </button>
        </td>
        <td class="pr-3 text-right text-soft">{{ say(item.reference.median, item) }}</td>
        <td class="pr-3 text-right font-semibold">{{ say(item.window.median, item) }}</td>
        <td><ShapePair :item="item" /></td>
        <td class="truncate pl-4">{{ rowWords(item) }}</td>
      </tr>
    </tbody>
  </table>
</template>
