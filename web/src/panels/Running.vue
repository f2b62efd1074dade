<script setup lang="ts">
// A job at work for what is selected: how far it is, how long it takes, and stopping it.
import { NProgress } from 'naive-ui'
import { computed } from 'vue'
import { standing, useWork } from '../state/work'

const props = defineProps<{ of: string | undefined; label: string }>()
const work = useWork()
const running = computed(() => work.on(props.of))
</script>

<template>
  <div v-if="running" class="running">
    <NProgress
      type="line"
      :height="4"
      :show-indicator="false"
      :percentage="running.total ? (100 * running.done) / running.total : 0"
      :aria-label="label"
    />
    <span class="soft number">{{ standing(running) }}</span>
    <button class="plainbutton" type="button" @click="work.stop(running.id)">Stop</button>
  </div>
</template>

<style scoped>
.running {
  white-space: nowrap;
  display: flex;
  align-items: center;
  gap: 8px;
}
</style>
