<script setup lang="ts">
import { computed } from 'vue'
import { useFacts, useFilesystems } from '../api/queries'
import PlainTable from '../ui/PlainTable.vue'
import { useWorkbench } from '../useWorkbench'
import { useSession } from '../workbench/session'
import { filesystemCells } from './filesystems'

/** Every filesystem at the end of the window: what it is, how full, and until when there is room. */
const bench = useWorkbench()
const { id } = useSession()
const { data, isPending, error } = useFilesystems(
  id,
  computed(() => bench.window),
)
const { data: history } = useFacts(id)
const mounts = computed(() => history.value?.at(-1)?.facts.mounts ?? {})
const COLUMNS = [
  { title: 'mounted at', left: true },
  { title: 'device', left: true },
  { title: 'kind', left: true },
  { title: 'size' },
  { title: 'used' },
  { title: 'free' },
  { title: 'use' },
  { title: 'inodes' },
  { title: 'growth a day' },
  { title: 'full' },
]
const rows = computed(() =>
  (data.value ?? []).map((item) => {
    const facts = mounts.value[item.mount]
    return {
      key: item.mount,
      cells: filesystemCells(item, facts),
      ...(facts?.options ? { title: `${item.mount}: mounted with ${facts.options}` } : {}),
    }
  }),
)
</script>

<template>
  <section class="max-h-56 overflow-y-auto border-b border-rule bg-leaf px-[18px] py-1.5" data-filesystems>
    <p v-if="error" class="text-soft">The filesystems cannot be listed: {{ error.message }}</p>
    <p v-else-if="isPending" class="text-soft" role="status">reading the filesystems …</p>
    <p v-else-if="!rows.length" class="text-soft">
      No filesystem was recorded here. A recorder does it unless its plan says otherwise; a field capture has
      none.
    </p>
    <PlainTable
      v-else
      caption="Filesystems at the end of the window, their growth by the trend within it"
      :columns="COLUMNS"
      :rows="rows"
    />
  </section>
</template>
