<script setup lang="ts">
import { darkTheme, NConfigProvider } from 'naive-ui'
import { computed } from 'vue'
import { connected } from './api/news'
import TopBar from './parts/TopBar.vue'
import { useSettings } from './state/settings'
import { overrides } from './theme'

const settings = useSettings()
const theme = computed(() => (settings.mode === 'dark' ? darkTheme : null))
</script>

<template>
  <NConfigProvider class="app" :theme="theme" :theme-overrides="overrides(settings.mode)">
    <TopBar />
    <p v-if="!connected" class="away" role="alert">
      Cravo does not answer. Everything up to your last edit is kept; this page goes on by itself when it is back.
    </p>
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
