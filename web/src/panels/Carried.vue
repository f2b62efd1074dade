<script setup lang="ts">
// Carrying the selected cut-out through the shot: how far it is, which way, and what is done meanwhile.
import { NProgress } from 'naive-ui'
import { computed } from 'vue'
import { useBench, type Way } from '../state/bench'
import { useCutting } from '../state/cutting'
import { timeLeft, useWork } from '../state/work'
import Fold from './Fold.vue'
import FollowWays from './FollowWays.vue'

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
    <FollowWays verb="Carry" :fresh="covered.count < covered.total" @go="(way: Way) => cutting.carry(way)" />
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
