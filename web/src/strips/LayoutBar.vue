<script setup lang="ts">
import { useSession } from '../workbench/session'
import { computed } from 'vue'
import { LAYOUTS, writeDevice, type DeviceRef } from '../model/layouts'
import { isWho, spellWho } from '../model/who'
import { useNames } from '../names/useNames'
import { useFigures } from '../figures/useFigures'
import { useHistory } from '../useHistory'
import { useStrips } from '../useStrips'
import { useWorkbench } from '../useWorkbench'
import ShareMenu from '../pictures/ShareMenu.vue'
import BarChoice from './BarChoice.vue'
import LayoutMenu from './LayoutMenu.vue'

/** Which strips: the ready layouts in the order of the work; and which stretch of time. */
const board = useStrips()
const history = useHistory()
const figures = useFigures()
const { devices } = useSession()
const bench = useWorkbench()
const names = useNames()

const plain = LAYOUTS.filter((layout) => layout.id !== 'device' && !layout.rare)
const rare = LAYOUTS.filter((layout) => layout.rare)
const labelOf = (device: DeviceRef): string =>
  isWho(device.kind) ? spellWho(device) : `${device.kind} ${names.labelOf(device.kind, device.name)}`
const chosen = computed(() => (board.layout === 'device' && board.device ? writeDevice(board.device) : ''))
function chooseDevice(text: string): void {
  const found = devices.value.find((device) => writeDevice(device) === text)
  if (found) board.choose('device', found)
}

const MINUTE = 60_000
const STRETCHES: { label: string; title: string; ms: number | null }[] = [
  { label: '5 min', title: 'The last 5 min', ms: 5 * MINUTE },
  { label: '1 h', title: 'The last 1 h', ms: 60 * MINUTE },
  { label: 'whole', title: 'The whole archive', ms: null },
]
function last(ms: number | null): void {
  const extent = bench.extent
  if (extent)
    bench.look(ms === null ? extent : { start: Math.max(extent.end - ms, extent.start), end: extent.end })
}
</script>

<template>
  <div class="@container shrink-0" data-layout-bar>
    <div
      class="flex h-8 items-center gap-3 border-b border-rule pr-3 pl-[18px] whitespace-nowrap text-soft @max-[840px]:gap-2"
    >
      <nav class="flex items-center gap-3 @max-[860px]:gap-2" aria-label="Layouts">
        <button
          v-for="layout in plain"
          :key="layout.id"
          type="button"
          class="hover:text-ink"
          :class="
            board.layout === layout.id
              ? 'font-serif text-[15px] font-semibold text-ink italic'
              : 'font-serif text-[15px] italic'
          "
          :aria-pressed="board.layout === layout.id"
          :title="layout.note"
          :data-layout="layout.id"
          @click="board.choose(layout.id)"
        >
          {{ layout.title
          }}<span
            v-if="board.opensFirst === layout.id"
            role="img"
            class="ml-0.5 align-super text-[9px] text-needle not-italic"
            title="This layout opens first"
            aria-label="opens first"
            >1</span
          >
        </button>
        <BarChoice
          name="rare"
          :label="rare.find((layout) => layout.id === board.layout)?.title ?? 'More'"
          title="More layouts: filesystems, interfaces, protocols, heat, logs"
          :active="rare.some((layout) => layout.id === board.layout)"
          :chosen="board.layout"
          :options="rare.map(({ id, title, note }) => ({ value: id, label: title, title: note }))"
          @choose="board.choose($event)"
        />
        <BarChoice
          v-if="devices.length"
          name="device"
          :label="board.layout === 'device' && board.device ? labelOf(board.device) : 'One device'"
          title="Everything about one core, disk, interface, filesystem, sensor or log"
          :active="board.layout === 'device'"
          :chosen="chosen"
          :options="devices.map((device) => ({ value: writeDevice(device), label: labelOf(device) }))"
          @choose="chooseDevice"
        />
        <LayoutMenu />
      </nav>
      <button
        v-if="board.isChanged"
        type="button"
        class="text-2xs underline hover:text-needle @max-[860px]:hidden"
        title="Back to the layout as it is saved or ready-made. What you changed stays until then, also when you look elsewhere"
        @click="board.reset()"
      >
        modified · reset
      </button>
      <button
        v-else-if="board.opensFirst !== board.layout && board.layout !== 'device'"
        type="button"
        class="text-2xs underline hover:text-needle @max-[860px]:hidden print:hidden"
        @click="board.opensFirst = board.layout"
      >
        make default
      </button>
      <div class="ml-auto flex items-center gap-2.5 text-2xs @max-[1040px]:gap-2 print:hidden">
        <button
          type="button"
          class="hover:text-ink disabled:opacity-40"
          :title="history.undone ? `Undo: ${history.undone} (Ctrl+Z)` : 'Nothing to undo'"
          aria-label="Undo"
          :disabled="!history.undone"
          @click="history.undo()"
        >
          ↶
        </button>
        <button
          type="button"
          class="hover:text-ink disabled:opacity-40"
          :title="history.redone ? `Redo: ${history.redone} (Ctrl+Shift+Z)` : 'Nothing to redo'"
          aria-label="Redo"
          :disabled="!history.redone"
          @click="history.redo()"
        >
          ↷
        </button>
        <button
          type="button"
          class="hover:text-ink disabled:opacity-40 @max-[860px]:hidden"
          title="All strips as a table, to sort, copy and save"
          :disabled="!board.strips.length"
          @click="figures.open(board.strips, 'all strips')"
        >
          figures
        </button>
        <ShareMenu />
        <span class="@max-[1040px]:hidden" aria-hidden="true">last</span>
        <button
          v-for="stretch in STRETCHES"
          :key="stretch.label"
          type="button"
          class="hover:text-ink @max-[780px]:hidden"
          :title="stretch.title"
          :aria-label="stretch.title"
          @click="last(stretch.ms)"
        >
          {{ stretch.label }}
        </button>
      </div>
    </div>
  </div>
</template>
