<script setup lang="ts">
// Carrying the selected cut-out through the shot: how far it is, which way, and what is done meanwhile.
import { NButton, NProgress } from 'naive-ui'
import { computed } from 'vue'
import { useBench } from '../state/bench'
import { useCutting } from '../state/cutting'
import { timeLeft, useWork } from '../state/work'
import Fold from './Fold.vue'

const bench = useBench()
const cutting = useCutting()
const work = useWork()
const running = computed(() => work.on(bench.cutOut?.id))
const covered = computed(() => {
  const lane = bench.lanes?.regions.find((one) => one.region === bench.regionId)
  const total = bench.shot ? bench.shot.last - bench.shot.first + 1 : 0
  const count = (lane?.runs ?? [])
    .filter((run) => run.state !== 'empty')
    .reduce((sum, run) => sum + run.last - run.first + 1, 0)
  return { count, total }
})
const doubts = computed(() => bench.doubts.filter((one) => one.region === bench.regionId))
</script>

<template>
  <Fold title="Moves with" :note="`itself: carried to ${covered.count} of ${covered.total} frames`">
    <div class="ways">
      <NButton size="tiny" title="Carry one frame back (,)" @click="cutting.carry('previous')">‹ 1</NButton>
      <NButton size="tiny" title="Carry backwards (Alt+F)" @click="cutting.carry('backwards')">‹ Back</NButton>
      <NButton
        size="tiny"
        :type="covered.count < covered.total ? 'primary' : 'default'"
        title="Carry both ways (F)"
        @click="cutting.carry('both')"
        >Carry</NButton
      >
      <NButton size="tiny" title="Carry forwards (Shift+F)" @click="cutting.carry('forwards')">Forwards ›</NButton>
      <NButton size="tiny" title="Carry one frame on (.)" @click="cutting.carry('next')">1 ›</NButton>
    </div>
    <div v-if="running" class="running">
      <NProgress
        type="line"
        :height="4"
        :show-indicator="false"
        :percentage="running.total ? (100 * running.done) / running.total : 0"
        aria-label="Carrying"
      />
      <span class="soft number">{{ timeLeft(running) || 'starting' }}</span>
      <button class="plainbutton" type="button" @click="work.stop(running.id)">Stop</button>
    </div>
    <button
      v-if="doubts.length"
      class="plainbutton doubts"
      type="button"
      title="Next doubt (N)"
      @click="bench.goDoubt(1)"
    >
      {{ doubts.length === 1 ? 'One doubt' : `${doubts.length} doubts` }}: go to the next ›
    </button>
  </Fold>
</template>

<style scoped>
.ways {
  display: flex;
  gap: 4px;
}
.ways > * {
  flex: 1 1 auto;
}
.running {
  white-space: nowrap;
  display: flex;
  align-items: center;
  gap: 8px;
}
.doubts {
  justify-content: flex-start;
}
</style>
