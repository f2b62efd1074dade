<script setup lang="ts">
// Propagating the selected cut-out through the shot: how far it is, which way, and what is done meanwhile.
import { computed } from 'vue'
import { type Way } from '../state/commands'
import { useCutting } from '../state/cutting'
import { useStores } from '../state/stores'
import Fold from './Fold.vue'
import FollowWays from './FollowWays.vue'
import Running from './Running.vue'

const { selection, lanes } = useStores()
const cutting = useCutting()
const covered = computed(() => {
  const lane = lanes.of?.regions.find((one) => one.region === selection.regionId)
  const total = selection.shot ? selection.shot.last - selection.shot.first + 1 : 0
  const count = (lane?.runs ?? [])
    .filter((run) => run.state !== 'empty')
    .reduce((sum, run) => sum + run.last - run.first + 1, 0)
  return { count, total }
})
const doubts = computed(() => lanes.doubts.filter((one) => one.region === selection.regionId))
</script>

<template>
  <Fold title="Moves with" :note="`on ${covered.count} of ${covered.total} frames`">
    <FollowWays verb="Propagate" :fresh="covered.count < covered.total" @go="(way: Way) => cutting.propagate(way)" />
    <Running :of="selection.cutOut?.id" label="Propagating" />
    <button
      v-if="doubts.length"
      class="plainbutton doubts"
      type="button"
      title="Next doubt (N)"
      @click="lanes.goDoubt(1)"
    >
      {{ doubts.length === 1 ? 'One doubt' : `${doubts.length} doubts` }}: go to the next ›
    </button>
  </Fold>
</template>

<style scoped>
.doubts {
  justify-content: flex-start;
}
</style>
