<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue'
import { RouterLink } from 'vue-router'
import PillButton from '../ui/PillButton.vue'
import SheetDialog from '../ui/SheetDialog.vue'
import { useExhibitKey } from './exhibitable'
import { usePinning } from './usePinning'

/** What became of a pin, and, where none is chosen yet, the question into which investigation. */
const pinning = usePinning()
useExhibitKey()
const question = ref('')
const chosen = ref<string | null>(null)
const field = useTemplateRef<HTMLInputElement>('field')
const others = computed(() => pinning.open.slice(0, MOST_SHOWN))
const MOST_SHOWN = 12
watch(
  () => pinning.waiting,
  (now) => {
    if (!now) return
    question.value = ''
    chosen.value = null
    // After the dialog has taken the focus.
    void nextTick(() => nextTick(() => field.value?.focus()))
  },
)
function go(): void {
  const pin = pinning.waiting
  const known = pinning.open.find((item) => item.id === chosen.value)
  if (!pin) return
  if (known) void pinning.into(known.id, known.fields.question ?? '', pin)
  else if (question.value.trim()) void pinning.intoNew(question.value.trim(), pin)
}
</script>

<template>
  <div>
    <p
      v-if="pinning.said"
      class="fixed bottom-16 left-1/2 z-40 flex max-w-3xl -translate-x-1/2 items-baseline gap-4 border border-rule-strong bg-leaf px-4 py-2 shadow-lg print:hidden"
      role="status"
      data-pinned
    >
      <span class="min-w-0 truncate" :title="pinning.said.words">{{ pinning.said.words }}</span>
      <template v-if="pinning.said.pinned">
        <RouterLink
          class="underline underline-offset-2 hover:text-needle"
          :to="{ name: 'investigation', params: { id: pinning.said.pinned.investigation } }"
          >open</RouterLink
        >
        <button
          type="button"
          class="underline underline-offset-2 hover:text-needle"
          @click="pinning.takeBack()"
        >
          undo
        </button>
        <button
          type="button"
          class="whitespace-nowrap underline underline-offset-2 hover:text-needle"
          @click="pinning.chosen = null"
        >
          next into another
        </button>
      </template>
      <button
        type="button"
        aria-label="Close this note"
        class="hover:text-needle"
        @click="pinning.said = null"
      >
        ×
      </button>
    </p>
    <SheetDialog
      v-if="pinning.waiting"
      title="Into which investigation?"
      width="max-w-lg"
      @close="pinning.waiting = null"
    >
      <form class="space-y-4" @submit.prevent="go">
        <label class="block">
          <span class="text-2xs text-soft">A new one: the question to be answered</span>
          <input
            ref="field"
            v-model="question"
            class="block w-full border-b border-rule-strong bg-transparent py-0.5"
            maxlength="4000"
            placeholder="Why did … stop answering on Friday morning?"
            data-new-question
            @focus="chosen = null"
          />
        </label>
        <fieldset v-if="others.length" class="space-y-1">
          <legend class="text-2xs text-soft">Or one that is open</legend>
          <label v-for="item in others" :key="item.id" class="flex items-baseline gap-2">
            <input v-model="chosen" type="radio" name="investigation" :value="item.id" />
            <span class="[overflow-wrap:anywhere]">{{ item.fields.question || 'without a question' }}</span>
          </label>
        </fieldset>
      </form>
      <template #foot>
        <PillButton label="Pin it there" :disabled="!chosen && !question.trim()" @press="go">Pin</PillButton>
        <PillButton label="Cancel: do not pin" @press="pinning.waiting = null">Cancel</PillButton>
      </template>
    </SheetDialog>
  </div>
</template>
