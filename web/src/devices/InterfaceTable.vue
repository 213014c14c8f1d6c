<script setup lang="ts">
import { computed, ref } from 'vue'
import { useFacts, useMoment, useSeriesSet } from '../api/queries'
import PlainTable from '../ui/PlainTable.vue'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { interfaceCells, interfaceRows, isIdle, rateScale, RATES, spellLinkFacts } from './interfaces'

/** Every interface and direction: now, and over the window. Idle ones by choice. */
const bench = useWorkbench()
const { id } = useSession()
const names = ref([...RATES])
const window = computed(() => bench.window)
const { data: set, isPending, error } = useSeriesSet(id, window, ref(1), names)
const { data: moment } = useMoment(
  id,
  computed(() => bench.needle ?? bench.window?.end ?? null),
  names,
)
const { data: history } = useFacts(id)
const links = computed(() => history.value?.at(-1)?.facts.links ?? {})
const withIdle = ref(false)
const all = computed(() => interfaceRows(set.value, moment.value))
const shown = computed(() => all.value.filter((row) => withIdle.value || !isIdle(all.value, row.name)))
const idle = computed(
  () => new Set(all.value.filter((row) => isIdle(all.value, row.name)).map(({ name }) => name)),
)
const scale = computed(() => rateScale(shown.value))
const columns = computed(() => [
  { title: 'interface', left: true },
  { title: 'direction', left: true },
  { title: bench.needle === null ? 'at the end' : 'at the needle', unit: scale.value.unit },
  { title: 'mean', unit: scale.value.unit },
  { title: 'low', unit: scale.value.unit },
  { title: 'high', unit: scale.value.unit },
  { title: 'total' },
  { title: 'what it is', left: true },
])
const rows = computed(() =>
  shown.value.map((row) => {
    const about = spellLinkFacts(links.value[row.name])
    return {
      key: `${row.name} ${row.way}`,
      cells: [...interfaceCells(row, scale.value), row.way === 'received' ? about : ''],
      ...(about ? { title: `${row.name}: ${about}` } : {}),
    }
  }),
)
</script>

<template>
  <section class="max-h-64 overflow-y-auto border-b border-rule bg-leaf px-[18px] py-1.5" data-interfaces>
    <p v-if="error" class="text-soft">The interfaces cannot be listed: {{ error.message }}</p>
    <p v-else-if="isPending" class="text-soft" role="status">reading the interfaces …</p>
    <p v-else-if="!all.length" class="text-soft">No interface was recorded here.</p>
    <template v-else>
      <PlainTable
        caption="Interfaces and directions: at the needle, and over the window"
        :columns="columns"
        :rows="rows"
      />
      <label v-if="idle.size" class="mt-1 flex items-center gap-1 text-2xs text-soft">
        <input v-model="withIdle" type="checkbox" />
        {{ idle.size }} idle in this window, too
      </label>
    </template>
  </section>
</template>
