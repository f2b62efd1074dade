<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { darkTheme, NConfigProvider } from 'naive-ui'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import TopBar from './parts/TopBar.vue'
import WalkBar from './parts/WalkBar.vue'
import { useActions } from './state/actions'
import { useEnds } from './state/ends'
import { trouble } from './state/health'
import { useSettings } from './state/settings'
import { overrides } from './theme'

const route = useRoute()
const settings = useSettings()
const actions = useActions()
const ends = useEnds()
const theme = computed(() => (settings.mode === 'dark' ? darkTheme : null))
useEventListener(window, 'keydown', actions.press)
</script>

<template>
  <NConfigProvider class="app" :theme="theme" :theme-overrides="overrides(settings.mode)">
    <TopBar />
    <p v-if="trouble" class="away" role="alert">{{ trouble }}</p>
    <WalkBar v-if="route.params.id" />
    <RouterView />
    <p class="sr" role="status">{{ ends.said }}</p>
  </NConfigProvider>
</template>

<style scoped>
.away {
  padding: 4px 12px;
  background: var(--raised);
  border-bottom: 2px solid var(--bad);
}
</style>
