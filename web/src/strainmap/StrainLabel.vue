<script setup lang="ts">
import type { StrainRow } from '../api/client'
import HangingPanel from '../ui/HangingPanel.vue'

/** The name of a resource's row: opens its devices, and says how its strain comes about. */
defineProps<{ row: StrainRow; title: string; open: boolean; waiting: boolean }>()
defineEmits<{ toggle: [] }>()
</script>

<template>
  <div class="flex h-full items-center gap-1 pl-[18px]">
    <button
      v-if="row.has_devices"
      type="button"
      class="flex grow items-center gap-1 text-left hover:text-needle"
      :aria-expanded="open"
      :title="open ? `Close the devices of ${title}` : `Open ${title} to its devices`"
      @click="$emit('toggle')"
    >
      <span class="w-2.5 text-2xs text-soft" aria-hidden="true">{{ open ? '▾' : '▸' }}</span>{{ title }}
    </button>
    <span v-else class="grow pl-3.5">{{ title }}</span>
    <!-- Beside the button: what is inside one is read as its name, and not announced when it changes. -->
    <span v-if="waiting" class="text-2xs text-soft" role="status" data-waiting>reading …</span>
    <HangingPanel
      class="px-1 text-2xs text-soft hover:text-needle"
      :label="`how the strain of ${title} is computed`"
      :title="`How strain of ${title} comes about`"
    >
      <template #button>ƒ</template>
      <div class="w-[360px]" data-strain-help>
        <h3 class="font-serif text-[15px] font-semibold">How strain of {{ title }} comes about</h3>
        <p class="mt-1">{{ row.help }}</p>
        <p class="mt-1 text-soft">{{ row.formula }}</p>
        <p class="mt-1 text-soft">
          A cell is the mean of its time; the thin line along its top is the highest in it. It is a picture
          for finding the time, not a verdict: that is what findings are for.
        </p>
      </div>
    </HangingPanel>
    <span class="h-[11px] w-[3px]" :style="{ background: `var(--color-${row.resource})` }" />
  </div>
</template>
