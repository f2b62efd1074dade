<script setup lang="ts">
// Following forwards, backwards, both ways, or by one frame.
import { NButton } from 'naive-ui'
import { useBench } from '../state/bench'

defineProps<{ what: { part?: string; motion?: string }; fresh: boolean }>()
const bench = useBench()
</script>

<template>
  <div class="ways">
    <NButton size="tiny" title="Follow one frame back (,)" @click="bench.follow(what, 'previous')">‹ 1</NButton>
    <NButton size="tiny" title="Follow backwards (Alt+F)" @click="bench.follow(what, 'backwards')">‹ Back</NButton>
    <NButton
      size="tiny"
      :type="fresh ? 'primary' : 'default'"
      title="Follow both ways (F)"
      @click="bench.follow(what, 'both')"
      >Follow</NButton
    >
    <NButton size="tiny" title="Follow forwards (Shift+F)" @click="bench.follow(what, 'forwards')">Forwards ›</NButton>
    <NButton size="tiny" title="Follow one frame on (.)" @click="bench.follow(what, 'next')">1 ›</NButton>
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
