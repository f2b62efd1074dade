<script setup lang="ts">
// Shapes over the picture: outlines that show on any picture, and what is at hand for the selected one.
import { computed, provide, ref } from 'vue'
import type { Region, Shape } from '../api/types'
import { dashes } from '../parts/pattern'
import { useAround } from '../state/around'
import { shapesOf } from '../state/numbers'
import { useShelf } from '../state/shelf'
import { useStores } from '../state/stores'
import { drag } from './drag'
import { contour, shapeKind } from '../shapes'
import { apply, inverse, line, type Matrix } from './geometry'
import FoundMarks from './FoundMarks.vue'
import Handles from './Handles.vue'
import LookHandles from './LookHandles.vue'
import { toSource, type Point } from './mapping'
import MotionMarks from './MotionMarks.vue'
import PathPoints from './PathPoints.vue'
import PlaceHandles from './PlaceHandles.vue'
import Sketch from './Sketch.vue'
import { SPACE } from './space'
import { ahead, cutAtSeam } from './sphere'
import Strokes from './Strokes.vue'

const SIDE = 20 // pixels of the clip that are as good as straight
const MOST_PIECES = 100 // of a side
const NEAR = 0.02 // how far ahead a point lies at least that is drawn
const props = defineProps<{ left: number; top: number; scale: number; width: number; height: number }>()
const emit = defineEmits<{ pan: [event: PointerEvent] }>()

const { selection, lanes, view, tools, commands } = useStores()
const around = useAround()
const shelf = useShelf()
const svg = ref<SVGSVGElement>()
const sketch = ref<InstanceType<typeof Sketch>>()
const points = ref<InstanceType<typeof PathPoints>>()
const strokes = ref<InstanceType<typeof Strokes>>()

const map = computed(() => around.map)
/** Source pixels that measure one screen pixel. */
const pixel = computed(() => 1 / (props.scale * Math.hypot(map.value[0], map.value[3])))
const transform = computed(
  () =>
    `translate(${props.left} ${props.top}) scale(${props.scale}) matrix(${[0, 3, 1, 4, 2, 5].map((i) => map.value[i]).join(' ')})`,
)

function sourcePoint(event: PointerEvent | MouseEvent): Point {
  const box = svg.value!.getBoundingClientRect()
  const piece = {
    x: (event.clientX - box.left - props.left) / props.scale,
    y: (event.clientY - box.top - props.top) / props.scale,
  }
  return toSource(map.value, piece)
}
provide(SPACE, { pixel, sourcePoint })

interface Shown {
  region: Region
  part: Shape
  selected: boolean
  path: string
}
const shapes = computed<Shown[]>(() => {
  if (view.below === 'layers' && selection.item) return []
  if (view.before === 1 || !(view.matte === 'outline' || !view.playing)) return []
  return (selection.shot?.regions ?? []).flatMap((region) =>
    shapesOf(region).flatMap((part) => {
      const selected = region.id === selection.regionId && part.id === selection.shape?.id
      const ofRegion = region.id === selection.regionId
      if (view.matte !== 'outline' && !ofRegion) return []
      const own = contour(part, lanes.poseOf(part), lanes.pointsOf(part), lanes.sourceFrame)
      const path = drawnAs(part, own)
      return path ? [{ region, part, selected, path }] : []
    }),
  )
})

/** A shape's outline as it is seen; nothing where it is not. */
function drawnAs(part: Shape, own: Point[]): string {
  const closed = !shapeKind(part.kind)?.endless
  const carrier = lanes.seenBy(part)
  if (around.within(part)) {
    const seen = closed ? own : ends(carrier, own)
    const whole = seen.length > 1 && seen.every((point) => ahead(carrier, point) > NEAR)
    return whole
      ? line(
          seen.map((point) => apply(carrier, point)),
          closed,
        )
      : ''
  }
  const { sphere } = around
  if (!part.view || !sphere) return '' // on the wide picture, while one looks around
  const all = closed ? bending(own) : along(own)
  const pieces = cutAtSeam(
    sphere,
    all.map((point) => around.wide(part.view!, carrier, point)),
  )
  return pieces.map((piece) => line(piece, closed && pieces.length === 1)).join('')
}

/** The piece of a straight line that lies ahead. */
function ends(carrier: Matrix, [a, b]: Point[]): Point[] {
  const [from, to] = [ahead(carrier, a), ahead(carrier, b)]
  if (from <= NEAR && to <= NEAR) return []
  const at = (share: number) => ({ x: a.x + share * (b.x - a.x), y: a.y + share * (b.y - a.y) })
  const border = (2 * NEAR - from) / (to - from)
  return [from > NEAR ? a : at(border), to > NEAR ? b : at(border)]
}

/** A closed outline with enough points on each straight side to bend with the sphere. */
function bending(own: Point[]): Point[] {
  const between = (a: Point, b: Point, share: number) => ({
    x: a.x + share * (b.x - a.x),
    y: a.y + share * (b.y - a.y),
  })
  const points = own.flatMap((here, i) => {
    const next = own[(i + 1) % own.length]
    const pieces = Math.min(Math.max(Math.ceil(Math.hypot(next.x - here.x, next.y - here.y) / SIDE), 1), MOST_PIECES)
    return Array.from({ length: pieces }, (_, k) => between(here, next, k / pieces))
  })
  return [...points, own[0]]
}

/** Points along a line without end, close where it is near. */
function along([a, b]: Point[]): Point[] {
  const middle = { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 }
  const reach = (around.sphere?.width ?? 0) / (2 * Math.PI)
  const length = Math.hypot(b.x - a.x, b.y - a.y)
  return Array.from({ length: 121 }, (_, i) => {
    const by = (Math.tan(((i - 60) / 60) * 1.56) * reach) / length
    return { x: middle.x + by * (b.x - a.x), y: middle.y + by * (b.y - a.y) }
  })
}
const selected = computed(() =>
  view.playing || tools.inHand || selection.motionId
    ? undefined
    : shapes.value.find((shape) => shape.selected && around.within(shape.part)),
)

function tint(region: Region) {
  return shelf.facts?.region_colours[region.colour] ?? '#fff'
}

function grab(event: PointerEvent, shape: Shown) {
  if (event.button !== 0 || view.playing) return
  if (!shape.selected || selection.motionId) {
    event.stopPropagation()
    selection.select(shape.region.id, shape.part.id)
    return
  }
  if (event.shiftKey && points.value) {
    points.value.marquee(event)
    return
  }
  const part = shape.part
  if (!around.within(part)) {
    event.stopPropagation()
    return around.lookAt(around.direction(part.view!, lanes.carrierOf(part.attached_to), lanes.poseOf(part)))
  }
  const back = inverse(lanes.seenBy(part))
  const start = { ...lanes.poseOf(part) }
  const from = apply(back, sourcePoint(event))
  let pose = start
  drag(
    event,
    (now) => {
      const to = apply(back, sourcePoint(now))
      pose = { ...start, x: start.x + to.x - from.x, y: start.y + to.y - from.y }
      commands.tryOut(part, { pose })
    },
    (moved) => moved && commands.place(part, pose, 'Move shape'),
  )
}

function press(event: PointerEvent) {
  if (tools.inHand?.draw === 'stroke' && event.button === 0) strokes.value?.press(event)
  else if (tools.inHand && event.button === 0) sketch.value?.press(event)
  else if (event.shiftKey && event.button === 0 && points.value) points.value.marquee(event)
  else emit('pan', event)
}

defineExpose({
  finish: () => sketch.value?.finish(),
  back: () => sketch.value?.back(),
})
</script>

<template>
  <svg
    ref="svg"
    class="overlay"
    :class="{ drawing: tools.inHand }"
    :width="width"
    :height="height"
    aria-label="Shapes"
    data-testid="overlay"
    @pointerdown="press"
    @pointermove="strokes?.hover($event)"
  >
    <g :transform="transform">
      <g
        v-for="shape in shapes"
        :key="shape.part.id"
        role="group"
        :aria-label="`${shape.region.name}: ${shape.part.name}`"
      >
        <path
          class="body"
          :d="shape.path"
          :class="{ selected: shape.selected, thin: shapeKind(shape.part.kind)?.endless }"
          :stroke-width="14"
          @pointerdown="grab($event, shape)"
        />
        <g class="lines" :class="{ off: !shape.region.on }">
          <path :d="shape.path" class="under" :stroke-width="shape.selected ? 4.5 : 3.5" />
          <path
            :d="shape.path"
            :stroke="tint(shape.region)"
            :stroke-width="shape.selected ? 2.5 : 1.5"
            :stroke-dasharray="dashes(shape.region.colour).join(' ')"
          />
        </g>
      </g>
      <MotionMarks v-if="!view.playing" />
      <FoundMarks v-if="!view.playing" />
      <template v-if="selected">
        <Handles :part="selected.part" />
        <PathPoints v-if="selected.part.kind === 'path'" ref="points" :part="selected.part" />
        <LookHandles />
      </template>
      <Strokes ref="strokes" />
      <Sketch ref="sketch" />
    </g>
    <PlaceHandles
      v-if="view.below === 'layers' && selection.item && !view.playing"
      v-bind="props"
      :item="selection.item"
    />
  </svg>
</template>

<style scoped>
.overlay {
  position: absolute;
  inset: 0;
  touch-action: none;
}
.overlay.drawing {
  cursor: crosshair;
}
.body {
  fill: transparent;
  cursor: pointer;
}
.body.thin {
  fill: none;
  stroke: transparent;
  vector-effect: non-scaling-stroke;
}
.body.selected {
  cursor: move;
}
.drawing .body {
  pointer-events: none;
}
.overlay :deep(.lines) {
  fill: none;
  pointer-events: none;
}
.overlay :deep(.lines *) {
  vector-effect: non-scaling-stroke;
}
.lines.off {
  opacity: 0.4;
}
.overlay :deep(.faint) {
  opacity: 0.8;
}
.overlay :deep(.under) {
  stroke: #000;
  stroke-opacity: 0.75;
}
.overlay :deep(.handle) {
  fill: #fff;
  stroke: #000;
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
  cursor: pointer;
}
.overlay :deep(.handle.between) {
  fill: #0008;
  stroke: #fff;
}
.overlay :deep(.handle.chosen) {
  fill: var(--accent);
}
.overlay :deep(text) {
  fill: #fff;
  stroke: #000;
  stroke-opacity: 0.75;
  paint-order: stroke;
  vector-effect: non-scaling-stroke;
}
</style>
