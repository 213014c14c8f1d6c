<script setup lang="ts">
import { RouterView } from 'vue-router'
import AwayNote from './ui/AwayNote.vue'
</script>

<template>
  <div class="flex h-full flex-col">
    <AwayNote />
    <RouterView class="min-h-0 grow" />
  </div>
</template>
