<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import { useNameDevice } from '../api/mutations'
import { useNames, type DeviceKind } from './useNames'

/** A device by the name that people gave it; a click lets them give another. */
const props = defineProps<{ kind: DeviceKind; device: string }>()

const names = useNames()
const editing = ref(false)
const typed = ref('')
const naming = useNameDevice(names.archive)
const trouble = computed(() => naming.error.value?.message ?? '')
const field = useTemplateRef<HTMLInputElement>('field')

async function begin(): Promise<void> {
  typed.value = names.calledOf(props.kind, props.device) ?? ''
  naming.reset()
  editing.value = true
  await nextTick()
  field.value?.select()
}

function save(): void {
  if (!editing.value) return
  const name = typed.value.trim() || null
  editing.value = false
  if (name !== names.calledOf(props.kind, props.device))
    naming.mutate({ kind: props.kind, device: props.device, name })
}
const stop = (): void => {
  editing.value = false
}
</script>

<template>
  <input
    v-if="editing"
    ref="field"
    v-model="typed"
    maxlength="120"
    class="w-full min-w-0 border-b border-needle bg-transparent"
    :placeholder="device"
    :aria-label="`A readable name for ${device}; empty takes it away`"
    @keydown.enter.prevent="save"
    @keydown.esc.prevent.stop="stop"
    @blur="save"
  />
  <button
    v-else
    type="button"
    class="block max-w-full truncate text-left hover:text-needle"
    :title="`${device}: click to give it a readable name`"
    @click="begin"
  >
    {{ names.labelOf(kind, device) }}
  </button>
  <p v-if="trouble" class="text-2xs text-needle" role="alert">{{ trouble }}</p>
</template>
