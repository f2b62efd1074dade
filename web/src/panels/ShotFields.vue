<script setup lang="ts">
// A shot in the film: where it begins and ends, how fast it is shown, and its place among the others.
import { NButton, NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import type { Shot } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { useAround } from '../state/around'
import { ticked, tickOf, valueAt, withValue } from '../state/numbers'
import { isShot } from '../state/shots'
import { useStores } from '../state/stores'

const { session, selection, arranging } = useStores()
const around = useAround()
const shot = computed(() => selection.shot!)
const place = computed(() => (session.state?.spans ?? []).findIndex((one) => one.shot === shot.value.id))
const count = computed(() => session.state?.spans.length ?? 0)
const span = computed(() => session.state?.spans[place.value])
const inside = computed(() => selection.frame - (span.value?.start ?? 0)) // frames of the shot before the playhead

type Turn = 'yaw' | 'pitch' | 'roll' | 'field'
const GAZE: { name: Turn; label: string; low: number; high: number }[] = [
  { name: 'yaw', label: 'To the right', low: -180, high: 180 },
  { name: 'pitch', label: 'Up', low: -90, high: 90 },
  { name: 'roll', label: 'Lean', low: -180, high: 180 },
  { name: 'field', label: 'Angle of view', low: 10, high: 150 },
]

/** It begins with where one looks now. */
function gazed(on: boolean) {
  const { yaw, pitch, field } = around
  change('A flat picture of it', (one) => (one.gaze = on ? { yaw, pitch, roll: 0, field } : null))
}

function turn(name: Turn, value: number, meant: boolean) {
  const at = inside.value
  change('Look elsewhere', (one) => one.gaze && (one.gaze[name] = withValue(one.gaze[name], at, value)), meant)
}

function tick(name: Turn) {
  const at = inside.value
  change('Set by hand', (one) => one.gaze && (one.gaze[name] = ticked(one.gaze[name], at)))
}

function change(label: string, to: (one: Shot) => void, meant = true) {
  arranging.editItem(label, (item) => isShot(item) && to(item), meant, shot.value.id)
}
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
  <NCheckbox
    v-if="around.mayBe"
    :checked="!!shot.sphere"
    title="Its clip shows all around the camera (equirectangular)"
    @update:checked="around.mark"
    >Spherical</NCheckbox
  >
  <NCheckbox
    v-if="shot.sphere"
    :checked="!!shot.gaze"
    title="The film shows what is seen in one direction, which may change over time"
    @update:checked="gazed"
    >Show a flat picture of it</NCheckbox
  >
  <template v-if="shot.gaze">
    <NumberField
      v-for="one in GAZE"
      :key="one.name"
      :label="one.label"
      unit="°"
      :value="valueAt(shot.gaze[one.name], inside)"
      :low="one.low"
      :high="one.high"
      :reset="one.name === 'field' ? 90 : 0"
      :tick="tickOf(shot.gaze[one.name], inside)"
      @trying="turn(one.name, $event, false)"
      @set="turn(one.name, $event, true)"
      @tick="tick(one.name)"
    />
  </template>
</template>
