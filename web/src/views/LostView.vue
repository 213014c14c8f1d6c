<script setup lang="ts">
import { RouterLink } from 'vue-router'
import StateNote from '../ui/StateNote.vue'
import TopBar from '../ui/TopBar.vue'
</script>

<template>
  <div class="flex flex-col">
    <TopBar />
    <StateNote whole title="There is no such page" hint="The address leads nowhere in Reditus.">
      <RouterLink to="/" class="underline">All archives</RouterLink>
    </StateNote>
  </div>
</template>
