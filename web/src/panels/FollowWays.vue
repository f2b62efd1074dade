<script setup lang="ts">
// Going on forwards, backwards, both ways, or by one frame.
import { NButton } from 'naive-ui'
import { type Way } from '../state/commands'

defineProps<{ verb: 'Follow' | 'Propagate'; fresh: boolean }>()
const emit = defineEmits<{ go: [way: Way] }>()
</script>

<template>
  <div class="ways">
    <NButton size="tiny" :title="`${verb} one frame back (,)`" @click="emit('go', 'previous')">‹ 1</NButton>
    <NButton size="tiny" :title="`${verb} backwards (Alt+F)`" @click="emit('go', 'backwards')">‹ Back</NButton>
    <NButton
      size="tiny"
      :type="fresh ? 'primary' : 'default'"
      :title="`${verb} both ways (F)`"
      @click="emit('go', 'both')"
      >{{ verb }}</NButton
    >
    <NButton size="tiny" :title="`${verb} forwards (Shift+F)`" @click="emit('go', 'forwards')">Forwards ›</NButton>
    <NButton size="tiny" :title="`${verb} one frame on (.)`" @click="emit('go', 'next')">1 ›</NButton>
  </div>
</template>

<style scoped>
.ways {
  display: flex;
  gap: 4px;
}
.ways > * {
  flex: 1 1 auto;
}
</style>
