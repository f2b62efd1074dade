<script setup lang="ts">
// Faces of the present frame as they were found, for checking: solid where found, broken where followed, dotted where
// guessed, with their names, eyes and mouths.
import { computed, inject } from 'vue'
import { useAround } from '../state/around'
import { useFound } from '../state/found'
import { line } from './geometry'
import type { Point } from './mapping'
import { SPACE } from './space'

const SIDES = 48 // of the oval that is drawn
const around = useAround()
const found = useFound()
const { pixel } = inject(SPACE)!
const BROKEN = { found: [], set: [], followed: [6, 3], guessed: [1.5, 3] }
const marks = computed(() =>
  found.marks
    .map(({ name, how, sure, oval, features }) => {
      const pieces = ovalOf(oval)
      return {
        name,
        dashes: BROKEN[how].join(' '),
        words: how === 'set' ? `${name} by hand` : `${name} ${how}, ${Math.round(100 * sure)} %`,
        path: pieces.map((piece) => line(piece, false)).join(''),
        label: corner(pieces.flat()),
        crosses: (features ?? []).flatMap(([x, y]) => around.lines([{ x, y }]).map(([at]) => cross(at))),
      }
    })
    .filter((one) => one.path),
)

function ovalOf([x, y, rx, ry, roll]: number[]) {
  const turn = (roll * Math.PI) / 180
  const points = Array.from({ length: SIDES }, (_, i) => {
    const angle = (2 * Math.PI * i) / SIDES
    const [u, v] = [rx * Math.cos(angle), ry * Math.sin(angle)]
    return { x: x + u * Math.cos(turn) - v * Math.sin(turn), y: y + u * Math.sin(turn) + v * Math.cos(turn) }
  })
  return around.linesAround({ x, y }, points)
}

/** The upper right corner of what some points fill. */
function corner(points: Point[]): Point {
  return { x: Math.max(...points.map(({ x }) => x)), y: Math.min(...points.map(({ y }) => y)) }
}

function cross({ x, y }: Point): string {
  const arm = 4 * pixel.value
  return `M${x - arm} ${y}h${2 * arm}M${x} ${y - arm}v${2 * arm}`
}
</script>

<template>
  <g v-for="one in marks" :key="one.name" role="img" :aria-label="`Face ${one.words}`">
    <g class="lines mark">
      <path :d="one.path" class="under" :stroke-width="3.5" />
      <path :d="one.path" :stroke-width="1.5" :stroke-dasharray="one.dashes" />
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
