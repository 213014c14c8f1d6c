<script setup lang="ts">
import { computed, ref } from 'vue'
import { useCounters } from '../api/queries'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'

const { data: counters, error, isPending } = useCounters()
const search = ref('')
const found = computed(() => {
  const wanted = search.value.trim().toLowerCase()
  return (counters.value ?? []).filter(({ name, title, help, source }) =>
    `${name} ${title} ${help} ${source}`.toLowerCase().includes(wanted),
  )
})
</script>

<template>
  <div class="flex flex-col">
    <TopBar />
    <main class="relative grow overflow-y-auto">
      <div class="mx-auto w-full max-w-5xl px-6 pt-8 pb-12">
        <h1 class="font-serif text-3xl font-semibold">Counters</h1>
        <p class="mt-1 text-soft">
          What recorders keep, as the kernel tells it. Measures are derived from these when read.
        </p>
        <input
          v-model="search"
          type="search"
          aria-label="Find a counter"
          placeholder="find by name, meaning or source"
          class="mt-4 w-full max-w-md border-b border-rule-strong bg-transparent py-1 placeholder:text-soft"
        />
        <StateNote v-if="isPending" title="Fetching the catalogue" busy />
        <StateNote v-else-if="error" title="The counters cannot be listed" :hint="error.message" />
        <StateNote
          v-else-if="!found.length"
          title="No such counter"
          hint="Nothing in any name, meaning or source holds this; try a shorter word."
        />
        <dl v-else class="mt-4">
          <div
            v-for="each in found"
            :key="each.name"
            class="grid grid-cols-[20rem_1fr] gap-6 border-b border-rule py-2.5"
          >
            <dt>
              <p class="font-serif text-base font-semibold">{{ each.title }}</p>
              <p class="text-2xs break-words text-soft">{{ each.name }}</p>
            </dt>
            <dd>
              <p>{{ each.help }}</p>
              <p class="mt-0.5 text-2xs text-soft">
                {{ each.kind === 'level' ? 'gauge' : 'cumulative' }}, in {{ each.unit.replace(/[{}]/g, '')
                }}{{ each.attributes.length ? `, by ${each.attributes.join(', ')}` : '' }} · {{ each.source }}
              </p>
            </dd>
          </div>
        </dl>
        <p v-if="found.length" class="mt-2 text-2xs text-soft">
          {{ found.length }} of {{ counters?.length }} counters
        </p>
      </div>
    </main>
  </div>
</template>
