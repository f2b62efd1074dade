<script setup lang="ts">
// The strokes of the selected cut-out on this frame, the one being drawn, and what a click would cut out.
import { computed, ref } from 'vue'
import { useAround } from '../state/around'
import { useCutting } from '../state/cutting'
import { useStores } from '../state/stores'
import { drag } from './drag'
import { line } from './geometry'
import type { Point } from './mapping'
import { useSpace } from './space'

const WIDE = 8 // screen pixels of a stroke
const APART = 3 // screen pixels between its points
const { selection, lanes, view, tools } = useStores()
const cutting = useCutting()
const around = useAround()
const { pixel, sourcePoint } = useSpace()
const drawing = ref<{ points: Point[]; include: boolean } | null>(null)

const strokes = computed(() =>
  cutting.shown && !view.playing
    ? (selection.cutOut?.strokes ?? [])
        .filter((one) => one.frame === lanes.sourceFrame)
        .map((one) => ({ id: one.id, include: one.include, points: one.points.map(([x, y]) => ({ x, y })) }))
    : [],
)
const coming = computed(() =>
  cutting.pending.filter((one) => one.shot === selection.shot?.id && one.frame === lanes.sourceFrame),
)
const all = computed(() =>
  [...strokes.value, ...coming.value]
    .map(({ id, include, points }) => ({ id, include, pieces: around.lines(points) }))
    .filter((one) => one.pieces.length)
    .concat(drawing.value ? [{ id: 'new', include: drawing.value.include, pieces: [drawing.value.points] }] : []),
)
const outlined = (outline: Point[]) =>
  around
    .lines(outline)
    .map((piece) => line(piece, piece.length === outline.length))
    .join('')

function press(event: PointerEvent) {
  const tool = tools.held('stroke')
  if (!tool) return
  const include = tool.include !== event.altKey
  const from = sourcePoint(event)
  drawing.value = { points: [from], include }
  drag(
    event,
    (now) => {
      const to = sourcePoint(now)
      const points = drawing.value?.points ?? []
      const last = points[points.length - 1] ?? from
      if (Math.hypot(to.x - last.x, to.y - last.y) >= APART * pixel.value)
        drawing.value = { points: [...points, to], include }
    },
    () => {
      const points = drawing.value?.points ?? [from]
      drawing.value = null
      void cutting.draw(points.map(around.kept), Math.min(Math.max(WIDE * pixel.value, 1), 400), include)
    },
  )
}

/** Before the first stroke: what a click here would cut out. */
function hover(event: PointerEvent) {
  const tool = tools.held('stroke')
  if (tool && !tool.part && !drawing.value && !cutting.answering) cutting.propose(around.kept(sourcePoint(event)))
}

defineExpose({ press, hover })
</script>

<template>
  <g class="strokes">
    <g class="lines">
      <template v-for="(outline, index) in view.playing ? [] : cutting.before" :key="`before ${index}`">
        <path :d="outlined(outline)" class="under" stroke-width="4" />
        <path :d="outlined(outline)" stroke="#fff" stroke-width="2" stroke-dasharray="2 5" />
      </template>
      <template v-for="(outline, index) in cutting.proposal" :key="index">
        <path :d="outlined(outline)" class="under" stroke-width="4" />
        <path :d="outlined(outline)" stroke="#fff" stroke-width="2" stroke-dasharray="6 4" />
      </template>
    </g>
    <g v-for="one in all" :key="one.id" class="stroke" :class="{ not: !one.include }">
      <template v-for="(piece, index) in one.pieces" :key="index">
        <path :d="line(piece, false)" class="rim" />
        <path :d="line(piece, false)" class="heart" />
      </template>
      <g :transform="`translate(${one.pieces[0][0].x} ${one.pieces[0][0].y}) scale(${pixel})`">
        <circle r="7" class="knob" />
        <path :d="one.include ? 'M-3.5 0h7M0-3.5v7' : 'M-3.5 0h7'" class="sign" />
      </g>
    </g>
  </g>
</template>

<style scoped>
.stroke {
  fill: none;
  stroke-linecap: round;
  stroke-linejoin: round;
  pointer-events: none;
}
.stroke .rim,
.stroke .heart {
  vector-effect: non-scaling-stroke;
}
.rim {
  stroke: #000;
  stroke-opacity: 0.75;
  stroke-width: 7;
}
.heart {
  stroke: #fff;
  stroke-width: 4;
}
.not .heart {
  stroke-dasharray: 2 8;
}
.knob {
  fill: #fff;
  stroke: #000;
  stroke-width: 1.5;
}
.not .knob {
  fill: #1c1d1f;
  stroke: #fff;
}
.sign {
  stroke: #000;
  stroke-width: 2;
}
.not .sign {
  stroke: #fff;
}
</style>
