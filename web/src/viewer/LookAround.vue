<script setup lang="ts">
// Over a spherical picture: look around in it, or see all of it; and the question whether a clip that may be one is.
import { computed, ref } from 'vue'
import { DIRECTIONS, useAround } from '../state/around'
import { useStores } from '../state/stores'
import { ARROWS } from '../parts/keys'
import { grouped, useActions } from '../state/actions'

const STEP = 10 // degrees
const CLOSER = 1.25
const ANSWERED = 'cravo.flat'
const { selection } = useStores()
const around = useAround()
const degrees = computed(() => `${Math.round(around.yaw)}° ${Math.round(around.pitch)}°`)

/** Clips of which somebody has said that they are flat, though they are twice as wide as high. */
const answered = ref<string[]>(JSON.parse(localStorage.getItem(ANSWERED) ?? '[]'))
function answer(medium: string) {
  answered.value = [...answered.value, medium]
  localStorage.setItem(ANSWERED, JSON.stringify(answered.value))
}

/** Whether the clip of the present shot is twice as wide as high, and nobody has said yet what it is. */
const asked = computed(() => {
  const medium = selection.medium?.id
  return !!medium && !!around.mayBe && !around.sphere && !answered.value.includes(medium)
})

const there = () => around.sphere !== null
useActions().offer(() =>
  grouped('Show', [
    {
      says: 'Look around in a spherical picture, or see all of it',
      can: there,
      does: () => (around.wanted = !around.wanted),
    },
    ...DIRECTIONS.map((to) => ({
      says: `Look ${to.label.toLowerCase()}`,
      can: there,
      does: () => {
        around.wanted = true
        around.look(to)
      },
    })),
    {
      says: 'Look further to a side, up or down',
      keys: Object.keys(ARROWS).map((one) => `Ctrl+Shift+${one}`),
      shown: 'Ctrl Shift arrows',
      byKey: true,
      can: () => around.looking,
      does: (event?: KeyboardEvent) => {
        const [x, y] = event ? ARROWS[event.key] : [0, 0]
        around.look({ yaw: around.yaw + STEP * x, pitch: around.pitch - STEP * y })
      },
    },
    { says: 'Look closer', can: () => around.looking, does: () => around.zoom(CLOSER) },
    { says: 'Look wider', can: () => around.looking, does: () => around.zoom(1 / CLOSER) },
  ]),
)
</script>

<template>
  <div v-if="around.sphere" class="around" role="toolbar" aria-label="Look around">
    <button class="plainbutton" type="button" :aria-pressed="around.looking" @click="around.wanted = true">
      Look around
    </button>
    <button class="plainbutton" type="button" :aria-pressed="!around.looking" @click="around.wanted = false">
      {{ around.shown ? 'As in the film' : 'Wide picture' }}
    </button>
    <template v-if="around.looking">
      <i></i>
      <button
        v-for="to in DIRECTIONS"
        :key="to.label"
        class="plainbutton"
        type="button"
        :title="`Look ${to.label.toLowerCase()}`"
        @click="around.look(to)"
      >
        {{ to.label }}
      </button>
      <span class="number" title="To the right and up; drag the picture, or Ctrl+Shift and arrow keys">{{
        degrees
      }}</span>
      <span class="number" title="Seen from left to right; turn the wheel">{{ Math.round(around.field) }}° wide</span>
    </template>
  </div>
  <div v-else-if="asked" class="around" role="group" aria-label="Is it spherical?">
    <span>Twice as wide as high. Does it show all around the camera?</span>
    <button class="plainbutton" type="button" @click="around.mark(true)">It is spherical</button>
    <button class="plainbutton" type="button" @click="answer(selection.medium!.id)">It is flat</button>
  </div>
</template>

<style scoped>
.around {
  position: absolute;
  left: 50%;
  top: 8px;
  transform: translateX(-50%);
  display: flex;
  align-items: center;
  gap: 4px;
  padding: 2px 8px;
  border-radius: 4px;
  background: #000c;
  color: #fff;
  white-space: nowrap;
}
.around .plainbutton {
  color: #fff;
}
.around i {
  width: 1px;
  height: 16px;
  background: #fff5;
}
.around .number {
  color: #cfcfcf;
  margin-left: 6px;
}
</style>
