<script setup lang="ts">
import { useSession } from '../workbench/session'
import { useZone } from '../usePreferences'
import { refThrottled } from '@vueuse/core'
import { computed, toRef } from 'vue'
import { useMoment, useProcesses } from '../api/queries'
import { spellAmount } from '../model/amounts'
import { spellFixed } from '../model/numbers'
import { spellDay, spellDuration, spellTime } from '../model/clock'
import type { Pin } from '../api/client'
import { vExhibit } from '../exhibits/exhibitable'
import PinButton from '../exhibits/PinButton.vue'
import { placeOf } from '../exhibits/pins'
import { usePlace } from '../exhibits/usePlace'
import { toInstant } from '../model/instant'
import StateNote from '../ui/StateNote.vue'
import { useWorkbench } from '../useWorkbench'
import CoreColumns from './CoreColumns.vue'
import DeviceTable, { type DeviceColumn } from './DeviceTable.vue'
import MemoryBand from './MemoryBand.vue'
import MomentDifference from './MomentDifference.vue'
import MomentHead from './MomentHead.vue'
import ProcessTable from './ProcessTable.vue'
import { heaviest, Readings, SHOWN, type OfDevices, type OfMachine } from './readings'

/** The whole machine at the needle. */
const zone = useZone()
const { id } = useSession()

const bench = useWorkbench()
// While playing, the needle moves sixty times a second; more than two states a second cannot be read.
const READ_EVERY_MS = 500
const at = refThrottled(toRef(bench, 'needle'), READ_EVERY_MS, true, true)
// Two moments are compared in every measure that there is.
const requested = computed(() => (bench.pinned === null && !bench.against ? SHOWN : null))
const { data: moment, error } = useMoment(id, at, requested)
const { data: processes } = useProcesses(id, at)
/** What the window is held against has its own moment: as far from its beginning, in whichever archive it is. */
const against = computed(() => (bench.pinned === null ? bench.against : null))
const pinned = computed(() => {
  if (bench.pinned !== null) return bench.pinned === at.value ? null : bench.pinned
  return against.value && at.value !== null ? at.value + against.value.shift : null
})
const placed = usePlace()
function pinOf(): Pin | null {
  const place = placed()
  if (!place || at.value === null) return null
  return { kind: 'moment', ...placeOf(place), at: toInstant(at.value), names: [...SHOWN] }
}
const thenId = computed(() => against.value?.archive ?? id.value)
const { data: pinnedMoment } = useMoment(thenId, pinned, requested)
const { data: pinnedProcesses } = useProcesses(thenId, pinned)
const then = computed(() => (pinned.value === null ? null : new Readings(pinnedMoment.value)))
const readings = computed(() => new Readings(moment.value))

const into = computed(() =>
  at.value === null || !bench.window || at.value < bench.window.start
    ? null
    : spellDuration((at.value - bench.window.start) / 1000),
)
const fixed = (measure: OfMachine, digits: number): string => {
  const value = readings.value.of(measure)
  return value === null ? '–' : spellFixed(value, digits)
}
const cores = computed(() => readings.value.devices('cpu.busy'))
const traffic =
  (...ways: OfDevices[]) =>
  (device: string): number =>
    ways.reduce((sum, way) => sum + (readings.value.of(way, device) ?? 0), 0)
const disks = computed(() =>
  heaviest(readings.value.devices('disk.busy'), traffic('disk.read.rate', 'disk.write.rate')),
)
const links = computed(() =>
  heaviest(readings.value.devices('net.receive.rate'), traffic('net.receive.rate', 'net.send.rate')),
)
const ranked = (measure: OfDevices): string[] =>
  heaviest(readings.value.devices(measure), (device) => readings.value.of(measure, device) ?? 0).active
const mounts = computed(() => ranked('filesystem.use'))
const sensors = computed(() => ranked('heat.temperature'))

const MOUNT_COLUMNS: DeviceColumn[] = [
  { title: 'use', measure: 'filesystem.use', unit: 'share', bar: true },
  { title: 'free', measure: 'filesystem.free', unit: 'bytes' },
]
const HEAT_COLUMNS: DeviceColumn[] = [
  { title: 'temperature', measure: 'heat.temperature', unit: '°C', bar: true },
]
const DISK_COLUMNS: DeviceColumn[] = [
  { title: 'read', measure: 'disk.read.rate', unit: 'bytes/s' },
  { title: 'write', measure: 'disk.write.rate', unit: 'bytes/s' },
  { title: 'queue', measure: 'disk.queue', unit: 'count' },
  { title: 'wait', measure: 'disk.wait', unit: 's', bar: true },
]
const LINK_COLUMNS: DeviceColumn[] = [
  { title: 'in', measure: 'net.receive.rate', unit: 'bits/s', bar: true },
  { title: 'out', measure: 'net.send.rate', unit: 'bits/s' },
]
const amount = (name: OfMachine, unit: 'bytes' | 'bytes/s' | 'share' | 'tasks'): string =>
  spellAmount(readings.value.of(name), unit)
</script>

<template>
  <StateNote v-if="error" title="This moment cannot be shown" :hint="error.message" />
  <StateNote
    v-else-if="at === null"
    title="No moment yet"
    hint="Click on a strip to put the needle, and read the whole machine at that moment."
  />
  <div v-else v-exhibit="pinOf" class="space-y-3.5 pb-4" data-moment>
    <header class="flex items-baseline justify-between">
      <time
        class="font-serif text-[30px] leading-none font-semibold"
        :datetime="new Date(at).toISOString()"
        >{{ spellTime(at, zone) }}</time
      >
      <p class="text-right text-2xs text-soft">
        <button
          type="button"
          class="underline hover:text-needle"
          aria-keyshortcuts="C"
          :title="
            bench.pinned === at
              ? 'Let this moment go (C)'
              : 'Pin this moment, then move the needle: what differs is shown (C)'
          "
          data-pin
          @click="bench.pin()"
        >
          {{ bench.pinned === at ? 'pinned' : 'pin' }}
        </button>
        <PinButton class="ml-2" label="Pin this moment as an exhibit" :what="pinOf" /><br />
        <span class="whitespace-nowrap">{{ spellDay(at, zone) }}</span><template v-if="into"
          ><br /><span class="whitespace-nowrap">{{ into }} into the window</span></template
        >
      </p>
    </header>
    <MomentDifference
      v-if="then && pinned !== null && moment"
      :then="then"
      :now="readings"
      :at="pinned"
      :of-reference="against !== null"
      @unpin="bench.unpin()"
      @go="bench.point(pinned)"
    />
    <p v-if="!moment" class="py-6 text-center text-soft" role="status" aria-busy="true">
      Reading the machine at this moment …
    </p>
    <p v-else-if="moment.tick === null" class="hatched py-4 text-center">
      <span class="bg-leaf px-2">Nothing was recorded at this moment: a gap.</span>
    </p>
    <template v-else>
      <section>
        <MomentHead
          title="Cores"
          :note="`${fixed('cpu.busy', 1)} of ${moment.cores ?? '–'} busy · ${amount('cpu.waiting', 'tasks')} waiting`"
        />
        <CoreColumns :cores="cores" :readings="readings" />
        <p class="mt-1 flex justify-between text-2xs text-soft">
          <span>load {{ fixed('cpu.load.1m', 2) }}</span>
          <span>{{ fixed('cpu.runnable', 0) }} runnable</span>
          <span>{{ fixed('cpu.blocked', 0) }} blocked</span>
          <span>stalled {{ amount('stall.cpu.some', 'share') }}</span>
        </p>
      </section>
      <section>
        <MomentHead
          title="Memory"
          :note="`${amount('memory.total', 'bytes')} · ${amount('memory.available', 'bytes')} available`"
        />
        <MemoryBand :readings="readings" />
      </section>
      <section>
        <MomentHead
          title="Swap"
          :note="`${amount('swap.held', 'bytes')} of ${amount('swap.total', 'bytes')} held`"
        />
        <p class="flex justify-between">
          <span
            >in <b class="font-semibold">{{ amount('swap.in', 'bytes/s') }}</b></span
          >
          <span
            >out <b class="font-semibold">{{ amount('swap.out', 'bytes/s') }}</b></span
          >
        </p>
      </section>
      <section>
        <MomentHead title="Disks" :note="`stalled ${amount('stall.io.some', 'share')} · heaviest first`" />
        <DeviceTable
          kind="disk"
          resource="disk"
          :devices="disks.active"
          :idle="disks.idle"
          :columns="DISK_COLUMNS"
          :readings="readings"
          :then="then"
        />
      </section>
      <section>
        <MomentHead title="Interfaces" note="heaviest first" />
        <DeviceTable
          kind="interface"
          resource="network"
          :devices="links.active"
          :idle="links.idle"
          :columns="LINK_COLUMNS"
          :readings="readings"
          :then="then"
        />
      </section>
      <section v-if="mounts.length">
        <MomentHead title="Filesystems" note="fullest first" />
        <DeviceTable
          kind="filesystem"
          resource="disk"
          :devices="mounts"
          :idle="0"
          :columns="MOUNT_COLUMNS"
          :readings="readings"
          :then="then"
        />
      </section>
      <section v-if="sensors.length">
        <MomentHead title="Heat" note="hottest first" />
        <DeviceTable
          kind="sensor"
          resource="processor"
          :devices="sensors"
          :idle="0"
          :columns="HEAT_COLUMNS"
          :readings="readings"
          :then="then"
        />
      </section>
      <section v-if="processes">
        <MomentHead title="Processes" note="the heaviest of the tick" />
        <p v-if="!processes.recorded" class="text-2xs text-soft">This archive holds no processes.</p>
        <p v-else-if="processes.tick === null" class="text-2xs text-soft">None at this moment.</p>
        <ProcessTable
          v-else
          :processes="processes"
          :then="pinned === null ? null : (pinnedProcesses ?? null)"
        />
      </section>
    </template>
  </div>
</template>
