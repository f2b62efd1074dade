<script setup lang="ts">
// What is filled of the selected region, beginning it, and the backgrounds that came of it.
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import { useFills } from '../../state/fills'
import { useStores } from '../../state/stores'
import { useWork } from '../../state/work'
import Running from '../Running.vue'

const { selection } = useStores()
const fills = useFills()
const work = useWork()
const running = computed(() => work.on(selection.regionId))
const said = computed(() => {
  const { seen, invented, old, total, most } = fills.frames
  if (!seen && !invented && !old) return 'Not filled yet: a rough guess is shown.'
  if (old) return 'The region was changed since: what filled it before is shown.'
  const share = Math.max(1, Math.round(100 * most))
  const part = invented ? `, on ${invented} of them in part invented, up to ${share} %` : ''
  return `Filled on ${seen + invented} of ${total} frames${part}.`
})
</script>

<template>
  <p class="soft said">{{ said }}</p>
  <Running v-if="running" :of="selection.regionId ?? undefined" label="Filling" />
  <NButton v-else-if="!fills.frames.whole" size="small" type="primary" @click="fills.begin()">Fill the shot</NButton>
  <p v-if="fills.plates.length" class="soft said">
    Clean plate:
    <a v-for="(one, i) in fills.plates" :key="i" class="plainbutton" :href="fills.pictureOf(i + 1)" download>
      {{ fills.plates.length > 1 ? `frames ${one.first} to ${one.last}` : 'save as a picture' }}
    </a>
  </p>
</template>

<style scoped>
.said {
  margin: 0;
}
</style>
