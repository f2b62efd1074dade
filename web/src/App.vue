<script setup lang="ts">
import { darkTheme, NConfigProvider } from 'naive-ui'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import TopBar from './parts/TopBar.vue'
import WalkBar from './parts/WalkBar.vue'
import { trouble } from './state/health'
import { useSettings } from './state/settings'
import { overrides } from './theme'

const route = useRoute()
const settings = useSettings()
const theme = computed(() => (settings.mode === 'dark' ? darkTheme : null))
</script>

<template>
  <NConfigProvider class="app" :theme="theme" :theme-overrides="overrides(settings.mode)">
    <TopBar />
    <p v-if="trouble" class="away" role="alert">{{ trouble }}</p>
    <WalkBar v-if="route.params.id" />
    <RouterView />
  </NConfigProvider>
</template>

<style scoped>
.away {
  padding: 4px 12px;
  background: var(--raised);
  border-bottom: 2px solid var(--bad);
}
</style>
