<script setup lang="ts">
// Faces of the present frame as they were found, for checking: solid where found, broken where followed, dotted where
// guessed, with their names, eyes and mouths.
import { computed, inject } from 'vue'
import { useFound } from '../state/found'
import { SPACE } from './space'

const found = useFound()
const { pixel } = inject(SPACE)!
const BROKEN = { found: [], set: [], followed: [6, 3], guessed: [1.5, 3] }
const marks = computed(() =>
  found.marks.map(({ name, how, sure, oval: [x, y, rx, ry, roll], features }) => ({
    name,
    dashes: BROKEN[how].join(' '),
    words: how === 'set' ? `${name} by hand` : `${name} ${how}, ${Math.round(100 * sure)} %`,
    at: { cx: x, cy: y, rx, ry, transform: `rotate(${roll} ${x} ${y})` },
    label: { x: x + rx, y: y - ry },
    crosses: (features ?? []).map(([u, v]) => {
      const arm = 4 * pixel.value
      return `M${u - arm} ${v}h${2 * arm}M${u} ${v - arm}v${2 * arm}`
    }),
  })),
)
</script>

<template>
  <g v-for="one in marks" :key="one.name" role="img" :aria-label="`Face ${one.words}`">
    <g class="lines mark">
      <ellipse v-bind="one.at" class="under" :stroke-width="3.5" />
      <ellipse v-bind="one.at" :stroke-width="1.5" :stroke-dasharray="one.dashes" />
      <path v-for="(cross, index) in one.crosses" :key="index" :d="cross" :stroke-width="1.5" />
    </g>
    <text :x="one.label.x" :y="one.label.y" :font-size="12 * pixel" :stroke-width="3">{{ one.words }}</text>
  </g>
</template>

<style scoped>
.mark {
  stroke: #fff;
}
</style>
