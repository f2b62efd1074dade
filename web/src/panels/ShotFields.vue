<script setup lang="ts">
// A shot in the film: where it begins and ends, how fast it is shown, and its place among the others.
import { NButton, NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import NumberField from '../parts/NumberField.vue'
import { useStores } from '../state/stores'

const { session, selection, arranging } = useStores()
const shot = computed(() => selection.shot!)
const place = computed(() => (session.state?.spans ?? []).findIndex((one) => one.shot === shot.value.id))
const count = computed(() => session.state?.spans.length ?? 0)
const span = computed(() => session.state?.spans[place.value])
const inside = computed(() => selection.frame - (span.value?.start ?? 0)) // frames of the shot before the playhead
</script>

<template>
  <div class="acts" role="group" aria-label="The shot in the film">
    <NButton
      size="tiny"
      :disabled="inside <= 0"
      title="Two shots, the second from this frame on (U)"
      @click="arranging.arrange('split')"
      >Split here</NButton
    >
    <NButton
      size="tiny"
      :disabled="inside <= 0"
      title="The playhead's frame becomes its first ([)"
      @click="arranging.arrange('begin')"
      >Trim start</NButton
    >
    <NButton
      size="tiny"
      :disabled="inside >= (span?.length ?? 1) - 1"
      title="The playhead's frame becomes its last (])"
      @click="arranging.arrange('end')"
      >Trim end</NButton
    >
    <template v-if="count > 1">
      <NButton size="tiny" :disabled="place <= 0" @click="arranging.arrange('earlier')">Earlier</NButton>
      <NButton size="tiny" :disabled="place >= count - 1" @click="arranging.arrange('later')">Later</NButton>
    </template>
    <NButton
      v-if="selection.medium?.kind !== 'still'"
      size="tiny"
      title="Where other shots begin in it, it is split"
      @click="arranging.splitAtCuts"
      >Split at its cuts</NButton
    >
    <NButton size="tiny" title="With all its regions; the clip stays on the shelf" @click="arranging.arrange('remove')"
      >Remove</NButton
    >
  </div>
  <template v-if="selection.medium?.kind !== 'still'">
    <NumberField
      label="Speed"
      unit="%"
      :value="shot.speed * 100"
      :low="10"
      :high="1000"
      :reset="100"
      title="What comes after it moves along; its regions stay on their frames"
      @set="arranging.pace($event / 100, shot.backwards)"
    />
    <NCheckbox :checked="shot.backwards" @update:checked="(on: boolean) => arranging.pace(shot.speed, on)"
      >Reverse</NCheckbox
    >
  </template>
</template>
