<script setup lang="ts">
import { computed } from 'vue'
import type { Exhibit, Hypothesis } from '../api/client'
import { useTimes } from '../useTimes'
import { toMs } from '../model/instant'
import DraftText from './DraftText.vue'
import ExhibitPicture from './ExhibitPicture.vue'
import { stanceOf } from './stances'
import type { Draft } from './useDraft'

/** A piece of evidence: its number, what the analyst says of it, what is frozen, and what it speaks for. */
interface Props {
  exhibit: Exhibit
  draft: Draft
  hypotheses: [string, Hypothesis][]
  fixed: boolean
}
const props = defineProps<Props>()
defineEmits<{ remove: []; move: [by: number]; lift: [] }>()
const times = useTimes()
const SHOWN_ROWS = 8
const remains = computed(() =>
  props.exhibit.remains === 'all'
    ? ''
    : props.exhibit.remains === 'part'
      ? 'The archive no longer holds all of the ticks that this was made of.'
      : 'What this was made of is no longer there; the exhibit stays true.',
)
/** The hypotheses that it says something of, and the others. */
const bearing = computed(() =>
  props.hypotheses.filter(([, item]) => stanceOf(item, props.exhibit.id) !== 'context'),
)
const others = computed(() =>
  props.hypotheses.filter(([, item]) => stanceOf(item, props.exhibit.id) === 'context'),
)
/** Pictures and tables have their titles themselves. */
const isNamed = computed(() => ['finding', 'ruled-out', 'note', 'log'].includes(props.exhibit.kind))
const chosenIn = (event: Event): string =>
  event.target instanceof HTMLSelectElement ? event.target.value : 'context'
function choose(id: string, stance: string): void {
  const kept = props.draft.value(`hypotheses/${id}`) as Hypothesis | null
  if (!kept) return
  const without = (ids: string[]): string[] => ids.filter((item) => item !== props.exhibit.id)
  props.draft.set(`hypotheses/${id}`, {
    ...kept,
    supporting: [...without(kept.supporting), ...(stance === 'for' ? [props.exhibit.id] : [])],
    opposing: [...without(kept.opposing), ...(stance === 'against' ? [props.exhibit.id] : [])],
  })
}
function bear(event: Event): void {
  const [stance = '', id = ''] = chosenIn(event).split(' ')
  if (event.target instanceof HTMLSelectElement) event.target.value = ''
  if (id) choose(id, stance)
}
</script>

<template>
  <article
    class="grid grid-cols-[2rem_minmax(0,1fr)_12rem] gap-x-3 border-b border-rule py-3"
    :aria-label="`Exhibit ${exhibit.number}`"
    :data-exhibit-item="exhibit.number"
  >
    <p
      class="font-serif text-lg text-needle italic select-none"
      :class="fixed ? '' : 'cursor-grab'"
      aria-hidden="true"
      data-lift
      @pointerdown="$emit('lift')"
    >
      {{ exhibit.number }}
    </p>
    <div class="min-w-0">
      <DraftText
        class="font-serif text-base font-semibold"
        :draft="draft"
        :path="`captions/${exhibit.id}`"
        :label="`Caption of exhibit ${exhibit.number}`"
        :hint="exhibit.title"
        :fixed="fixed"
        hidden
      />
      <p class="text-2xs text-soft">
        {{ exhibit.where }}<template v-if="exhibit.caption && isNamed"> · {{ exhibit.title }}</template>
      </p>
      <div v-for="(part, at) in exhibit.parts" :key="at" class="mt-1.5">
        <ExhibitPicture
          v-if="part.part === 'picture'"
          :exhibit="exhibit.id"
          :place="part.picture ?? 0"
          :title="part.title"
        />
        <template v-else-if="part.part === 'sentences'">
          <p v-if="part.title" class="font-semibold">{{ part.title }}</p>
          <p v-for="(line, row) in part.lines" :key="row" class="max-w-[68ch] [overflow-wrap:anywhere]">
            {{ line }}
          </p>
        </template>
        <details v-else :open="part.rows.length <= SHOWN_ROWS">
          <summary class="cursor-pointer text-2xs text-soft">
            {{ part.title }}, {{ part.rows.length + part.more }} rows
          </summary>
          <div class="max-h-72 overflow-auto" tabindex="0" role="region" :aria-label="part.title">
            <table class="text-left text-xs">
              <thead>
                <tr class="text-2xs text-soft">
                  <th
                    v-for="head in part.heads"
                    :key="head.title"
                    scope="col"
                    class="border-b border-rule-strong pr-4 font-normal"
                    :class="head.numeric ? 'text-right' : ''"
                  >
                    {{ head.title }}
                  </th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="(cells, row) in part.rows" :key="row" class="border-b border-rule/60">
                  <td
                    v-for="(cell, column) in cells"
                    :key="column"
                    class="py-0.5 pr-3 align-top first:min-w-28"
                    :class="part.heads[column]?.numeric ? 'text-right whitespace-nowrap' : ''"
                  >
                    {{ cell }}
                  </td>
                </tr>
              </tbody>
            </table>
            <p v-if="part.more" class="text-2xs text-soft">and {{ part.more }} more, in the report’s files</p>
          </div>
        </details>
      </div>
      <p class="mt-1 flex flex-wrap items-baseline gap-x-4 text-2xs text-soft">
        <a
          v-if="exhibit.view"
          :href="exhibit.view"
          class="underline underline-offset-2 hover:text-needle"
          data-live
          >the living view</a
        >
        <span v-if="remains" data-remains>{{ remains }}</span>
        <template v-if="!fixed">
          <button
            type="button"
            class="hover:text-needle"
            :aria-label="`Exhibit ${exhibit.number} up`"
            title="Up (Alt ↑ on the exhibit)"
            @click="$emit('move', -1)"
          >
            ↑
          </button>
          <button
            type="button"
            class="hover:text-needle"
            :aria-label="`Exhibit ${exhibit.number} down`"
            title="Down (Alt ↓ on the exhibit)"
            @click="$emit('move', 1)"
          >
            ↓
          </button>
          <button
            type="button"
            class="underline underline-offset-2 hover:text-needle"
            :aria-label="`Remove exhibit ${exhibit.number}`"
            @click="$emit('remove')"
          >
            remove
          </button>
        </template>
        <span :title="`SHA-256 ${exhibit.checksum}; ${exhibit.versions}`"
          >frozen {{ times.at(toMs(exhibit.pinned)) }} · {{ exhibit.checksum.slice(0, 8) }}</span
        >
      </p>
    </div>
    <aside
      class="border-l border-rule-strong pl-3 text-2xs"
      :aria-label="`What exhibit ${exhibit.number} says`"
    >
      <dl v-if="exhibit.figures.length" class="mb-1.5">
        <div v-for="figure in exhibit.figures" :key="figure.label" class="flex justify-between gap-2">
          <dt class="text-soft">{{ figure.label }}</dt>
          <dd>{{ figure.value }}</dd>
        </div>
      </dl>
      <p v-if="!bearing.length" class="text-soft">context</p>
      <label v-for="[id, item] in bearing" :key="id" class="mb-1 block" :title="item.text">
        <select
          :value="stanceOf(item, exhibit.id)"
          class="-ml-1 bg-transparent font-semibold disabled:opacity-100"
          :disabled="fixed"
          :aria-label="`Exhibit ${exhibit.number} and “${item.text}”`"
          @change="choose(id, chosenIn($event))"
        >
          <option value="for">for</option>
          <option value="against">against</option>
          <option value="context">context only</option>
        </select>
        <span class="block [overflow-wrap:anywhere]">“{{ item.text || 'a hypothesis without words' }}”</span>
      </label>
      <select
        v-if="!fixed && others.length"
        value=""
        class="-ml-1 w-full bg-transparent text-soft"
        :aria-label="`What exhibit ${exhibit.number} bears on`"
        data-bears
        @change="bear"
      >
        <option value="">bears on …</option>
        <optgroup v-for="[id, item] in others" :key="id" :label="item.text">
          <option :value="`for ${id}`">supports it</option>
          <option :value="`against ${id}`">speaks against it</option>
        </optgroup>
      </select>
    </aside>
  </article>
</template>
