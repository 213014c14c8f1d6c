<script setup lang="ts">
import { computed, reactive, ref, toRef } from 'vue'
import { fetchBundle, useInside, type BundleChoices, type Category } from '../api/bundles'
import { spellAmount } from '../model/amounts'
import { spellWindow } from '../model/clock'
import { toInstant, toMs } from '../model/instant'
import { spellCount } from '../model/numbers'
import { parseTypedSpan } from '../model/typedTime'
import PillButton from '../ui/PillButton.vue'
import StateNote from '../ui/StateNote.vue'
import { useZone } from '../usePreferences'
import { useMaking } from './useMaking'

/** What leaves with a bundle, before it leaves: its parts, the stretches of archives, and which names are replaced. */
const props = defineProps<{ id: string; version: number }>()
const zone = useZone()
const NAMES: { category: Category; label: string }[] = [
  { category: 'hosts', label: 'hosts' },
  { category: 'users', label: 'users' },
  { category: 'processes', label: 'programs, services, groups' },
  { category: 'addresses', label: 'addresses' },
  { category: 'mounts', label: 'mounts' },
  { category: 'logs', label: 'lines of logs' },
]
const replaced = reactive(new Set<Category>())
const parquet = ref(false)
const stretches = reactive(new Map<string, { start: string | null; end: string | null }>())
const choices = computed<BundleChoices>(() => ({
  replace: NAMES.filter(({ category }) => replaced.has(category)).map(({ category }) => category),
  parquet: parquet.value,
  stretches: [...stretches].map(([archive, span]) => ({ archive, ...span })),
}))
const { data: inside, error, isFetching } = useInside(toRef(props, 'id'), choices, toRef(props, 'version'))
const ordered = computed(() => [...(inside.value?.parts ?? [])].sort((a, b) => b.bytes - a.bytes))
const left = computed(() =>
  [...stretches].filter(([, { start }]) => start === null).map(([archive]) => archive),
)
function toggle(category: Category): void {
  if (!replaced.delete(category)) replaced.add(category)
}
function trim(archive: string, end: string, event: Event): void {
  if (!(event.target instanceof HTMLInputElement)) return
  const span = parseTypedSpan(event.target.value, toMs(end), zone.value)
  event.target.setCustomValidity(span ? '' : 'such as 13 Nov 05:30 – 08:30')
  event.target.reportValidity()
  if (span) stretches.set(archive, { start: toInstant(span.start), end: toInstant(span.end) })
}

const { busy, trouble, save: make } = useMaking()
const save = (): Promise<void> => make((job) => fetchBundle(props.id, choices.value, job))
</script>

<template>
  <section
    class="relative min-h-0 grow space-y-4 overflow-y-auto py-3"
    aria-label="What is inside"
    data-inside
  >
    <p class="max-w-[72ch] text-soft">
      A bundle is one file that another Reditus opens into this investigation: the report, the exhibits with
      their numbers, and the stretches of the archives that they stand on. Look at what leaves before it does.
    </p>
    <fieldset class="flex flex-wrap gap-x-5 gap-y-1">
      <legend class="mb-1 font-serif font-semibold">Names that are replaced</legend>
      <label v-for="item in NAMES" :key="item.category" class="flex items-baseline gap-1.5">
        <input type="checkbox" :checked="replaced.has(item.category)" @change="toggle(item.category)" />
        {{ item.label }}
      </label>
    </fieldset>
    <label class="flex items-baseline gap-1.5">
      <input v-model="parquet" type="checkbox" />
      counters as Parquet too, for readers without Reditus
    </label>
    <p class="flex items-baseline gap-3">
      <PillButton label="Save the bundle" :disabled="busy !== null || !inside" @press="save"
        >Save the bundle</PillButton
      >
      <span v-if="busy" role="status" class="text-soft">{{ busy }} …</span>
      <span v-else-if="isFetching" role="status" class="text-soft">looking what would be inside …</span>
      <span v-else-if="inside" role="status" data-size>
        {{ spellAmount(inside.packed_bytes, 'bytes') }}, {{ spellCount(inside.parts.length) }} parts<template
          v-if="inside.searched"
          >; searched for {{ spellCount(inside.searched) }} names, none is left</template
        >
      </span>
      <span v-if="trouble" role="alert" class="text-needle">{{ trouble }}</span>
    </p>
    <p v-if="error" role="alert" class="max-w-[72ch] text-needle">{{ error.message }}</p>
    <StateNote v-if="!inside && !error" title="Looking what would be inside" busy />
    <template v-if="inside">
      <section aria-label="Stretches of archives">
        <h2 class="font-serif font-semibold">Stretches of archives</h2>
        <p v-if="!inside.stretches.length" class="text-soft">
          None goes along: the exhibits stand for themselves.
        </p>
        <div
          v-for="stretch in inside.stretches"
          :key="`${stretch.timeline} ${stretch.archive}`"
          class="flex flex-wrap items-baseline gap-x-4 border-b border-rule py-1"
          data-stretch
        >
          <span class="font-semibold">{{ stretch.host }} ▸ {{ stretch.archive }}</span>
          <input
            :value="spellWindow(toMs(stretch.start), toMs(stretch.end), zone)"
            class="w-72 border-b border-dashed border-soft bg-transparent"
            :aria-label="`Stretch of ${stretch.archive}`"
            @change="trim(stretch.timeline, stretch.end, $event)"
          />
          <span class="text-soft">
            {{ spellCount(stretch.ticks) }} ticks, {{ spellCount(stretch.processes) }} processes,
            {{ spellCount(stretch.markers) }} notes and lines<template v-if="stretch.damaged"
              >, {{ stretch.damaged }} damaged blocks left out</template
            >
          </span>
          <button
            type="button"
            class="text-2xs text-soft underline underline-offset-2 hover:text-needle"
            @click="stretches.set(stretch.timeline, { start: null, end: null })"
          >
            leave out
          </button>
        </div>
        <p v-if="left.length" class="text-soft">
          {{ left.length }} left out.
          <button
            type="button"
            class="underline underline-offset-2 hover:text-needle"
            @click="stretches.clear()"
          >
            take all
          </button>
        </p>
      </section>
      <section v-if="inside.substitutes.length" aria-label="What stands for which name">
        <h2 class="font-serif font-semibold">What stands for which name</h2>
        <p class="max-w-[72ch] text-2xs text-soft">
          This list stays here. The same name becomes the same substitute in all of your bundles.
        </p>
        <div class="max-h-56 overflow-y-auto" tabindex="0" role="region" aria-label="Substitutes">
          <table>
            <tbody>
              <tr
                v-for="item in inside.substitutes"
                :key="item.name"
                class="border-b border-rule/60"
                data-substitute
              >
                <td class="pr-4 text-soft">{{ item.category }}</td>
                <td class="max-w-md truncate pr-4" :title="item.name">{{ item.name }}</td>
                <td>{{ item.substitute }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="inside.more" class="text-soft">and {{ spellCount(inside.more) }} more</p>
        </div>
      </section>
      <section aria-label="Parts">
        <h2 class="font-serif font-semibold">Parts</h2>
        <div class="max-h-72 overflow-y-auto" tabindex="0" role="region" aria-label="Parts of the bundle">
          <table>
            <tbody>
              <tr v-for="part in ordered" :key="part.name" class="border-b border-rule/60" data-part>
                <td class="pr-6">{{ part.name }}</td>
                <td class="pr-6 text-right whitespace-nowrap">{{ spellAmount(part.bytes, 'bytes') }}</td>
                <td class="text-soft">{{ part.media_type }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
    </template>
  </section>
</template>
