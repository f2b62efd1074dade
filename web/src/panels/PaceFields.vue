<script setup lang="ts">
// How fast a shot is shown, and which way.
import { NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import { api, content } from '../api/client'
import type { ProjectState } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { useBench } from '../state/bench'

const bench = useBench()
const shot = computed(() => bench.shot!)

function set(speed: number, backwards: boolean) {
  const which = shot.value.id
  void bench.sent(async (project, seen) => {
    const asked = { params: { path: { project } }, body: { seen, shot: which, speed, backwards } }
    return (await content(api.POST('/api/projects/{project}/pace', asked))) as ProjectState
  })
}
</script>

<template>
  <NumberField
    label="Speed"
    unit="%"
    :value="shot.speed * 100"
    :low="10"
    :high="1000"
    :reset="100"
    title="What comes after it moves along; its regions stay on their frames"
    @set="set($event / 100, shot.backwards)"
  />
  <NCheckbox :checked="shot.backwards" @update:checked="(on: boolean) => set(shot.speed, on)">Backwards</NCheckbox>
</template>
