<script setup lang="ts">
import { RouterLink, useRoute } from 'vue-router'
import { spellZone } from '../model/clock'
import { useSettings } from '../settings/useSettings'
import { usePreferences } from '../usePreferences'

const PLACES = [
  { to: '/', title: 'Archives' },
  { to: '/investigations', title: 'Investigations' },
  { to: '/recorders', title: 'Recorders' },
  { to: '/files', title: 'Files' },
  { to: '/counters', title: 'Counters' },
]
const route = useRoute()
/** A place is also where one of its parts is open. */
const isHere = (to: string): boolean => route.path === to || (to !== '/' && route.path.startsWith(`${to}/`))
const settings = useSettings()
const { zone, theme, toggleZone, toggleTheme } = usePreferences()
</script>

<template>
  <header class="flex h-11 shrink-0 items-center gap-5 border-b border-rule-strong bg-leaf px-[18px]">
    <RouterLink to="/" class="font-serif text-[23px] italic" title="All archives">Reditus</RouterLink>
    <slot />
    <nav v-if="!$slots.default" class="flex gap-5" aria-label="Places">
      <RouterLink
        v-for="place in PLACES"
        :key="place.to"
        :to="place.to"
        :class="
          isHere(place.to)
            ? 'text-ink underline decoration-needle decoration-2 underline-offset-[13px]'
            : 'text-soft hover:text-ink'
        "
        >{{ place.title }}</RouterLink
      >
    </nav>
    <div class="ml-auto flex shrink-0 items-center gap-5 whitespace-nowrap text-soft">
      <slot name="right" />
      <button
        type="button"
        class="hover:text-ink"
        aria-keyshortcuts="U"
        title="Clock: your own time, UTC, or the host’s own where it is known (U)"
        @click="toggleZone"
      >
        {{ spellZone(zone) }}
      </button>
      <button
        type="button"
        class="hover:text-ink print:hidden"
        aria-keyshortcuts="T"
        title="Day or night (T)"
        @click="toggleTheme"
      >
        {{ theme }}
      </button>
      <button
        type="button"
        class="hover:text-ink print:hidden"
        aria-keyshortcuts=","
        title="Settings: clock, theme, units, hints (,)"
        @click="settings.open()"
      >
        settings
      </button>
    </div>
  </header>
</template>
