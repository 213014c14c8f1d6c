<script setup lang="ts">
import { RouterView } from 'vue-router'
import PinNote from './exhibits/PinNote.vue'
import SettingsDialog from './settings/SettingsDialog.vue'
import { useSettings } from './settings/useSettings'
import AwayNote from './ui/AwayNote.vue'
import BusyLine from './ui/BusyLine.vue'

const settings = useSettings()
</script>

<template>
  <div class="flex h-full flex-col">
    <AwayNote />
    <RouterView class="min-h-0 grow" />
    <SettingsDialog v-if="settings.isOpen" />
    <PinNote />
    <BusyLine />
  </div>
</template>
