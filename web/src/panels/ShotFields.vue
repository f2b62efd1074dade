<script setup lang="ts">
// A shot in the piece: where it begins and ends, how fast it is shown, and its place among the others.
import { NButton, NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import NumberField from '../parts/NumberField.vue'
import { useBench } from '../state/bench'

const bench = useBench()
const shot = computed(() => bench.shot!)
const place = computed(() => (bench.state?.spans ?? []).findIndex((one) => one.shot === shot.value.id))
const count = computed(() => bench.state?.spans.length ?? 0)
const span = computed(() => bench.state?.spans[place.value])
const inside = computed(() => bench.frame - (span.value?.start ?? 0)) // frames of the shot before the playhead
</script>

<template>
  <div class="acts" role="group" aria-label="The shot in the piece">
    <NButton
      size="tiny"
      :disabled="inside <= 0"
      title="Two shots, the second from this frame on (U)"
      @click="bench.arrange('split')"
      >Split here</NButton
    >
    <NButton size="tiny" :disabled="inside <= 0" title="This frame is its first ([)" @click="bench.arrange('begin')"
      >Begin here</NButton
    >
    <NButton
      size="tiny"
      :disabled="inside >= (span?.length ?? 1) - 1"
      title="This frame is its last (])"
      @click="bench.arrange('end')"
      >End here</NButton
    >
    <template v-if="count > 1">
      <NButton size="tiny" :disabled="place <= 0" @click="bench.arrange('earlier')">Earlier</NButton>
      <NButton size="tiny" :disabled="place >= count - 1" @click="bench.arrange('later')">Later</NButton>
    </template>
    <NButton
      v-if="bench.medium?.kind !== 'still'"
      size="tiny"
      title="Where other shots begin in it, it is split"
      @click="bench.splitAtCuts"
      >Split at its cuts</NButton
    >
    <NButton size="tiny" title="With all its regions; the clip stays on the shelf" @click="bench.arrange('remove')"
      >Take out</NButton
    >
  </div>
  <template v-if="bench.medium?.kind !== 'still'">
    <NumberField
      label="Speed"
      unit="%"
      :value="shot.speed * 100"
      :low="10"
      :high="1000"
      :reset="100"
      title="What comes after it moves along; its regions stay on their frames"
      @set="bench.pace($event / 100, shot.backwards)"
    />
    <NCheckbox :checked="shot.backwards" @update:checked="(on: boolean) => bench.pace(shot.speed, on)"
      >Backwards</NCheckbox
    >
  </template>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
