<script setup lang="ts">
// Shapes over the picture: outlines that show on any picture, handles of the selected shape, drawing a new one.
import { computed, ref } from 'vue'
import type { Pose, Region } from '../api/types'
import { dashes } from '../parts/pattern'
import { useBench } from '../state/bench'
import { valueAt, withValue } from '../state/numbers'
import { useShelf } from '../state/shelf'
import { mapping, toSource, type Point } from './mapping'

const props = defineProps<{ left: number; top: number; scale: number; width: number; height: number }>()
const emit = defineEmits<{ pan: [event: PointerEvent] }>()

const bench = useBench()
const shelf = useShelf()
const svg = ref<SVGSVGElement>()
const drawn = ref<{ from: Point; to: Point } | null>(null)
const LEAST = 6 // screen pixels; a smaller drag is a slip

const map = computed(() => {
  const piece = { width: bench.document?.width ?? 1920, height: bench.document?.height ?? 1080 }
  const clip =
    bench.medium?.width && bench.medium.height ? { width: bench.medium.width, height: bench.medium.height } : piece
  return mapping(piece, clip)
})
/** Source pixels that measure one screen pixel. */
const pixel = computed(() => 1 / (props.scale * map.value.scale))
const transform = computed(
  () =>
    `translate(${props.left + map.value.left * props.scale} ${props.top + map.value.top * props.scale}) scale(${props.scale * map.value.scale})`,
)
const shapes = computed(() => {
  if (bench.before === 1 || !(bench.view === 'outline' || !bench.playing)) return []
  const regions = bench.shot?.regions ?? []
  return regions.flatMap((region) =>
    region.parts.flatMap((part) => {
      const pose = bench.poseOf(part)
      const selected = region.id === bench.regionId
      return pose && (bench.view === 'outline' || selected) ? [{ region, part, pose, selected }] : []
    }),
  )
})
const held = computed(() => (bench.playing || bench.drawing ? undefined : shapes.value.find((shape) => shape.selected)))

function tint(region: Region) {
  return shelf.facts?.region_colours[region.colour] ?? '#fff'
}

function place(pose: Pose) {
  return `translate(${pose.x} ${pose.y}) rotate(${pose.rotation})`
}

const handles = computed(() => {
  const shape = held.value
  if (!shape) return null
  const { pose, part } = shape
  const at = bench.sourceFrame
  const away = 16 * pixel.value
  const inner = valueAt(part.feather_in, at)
  const outer = valueAt(part.feather_out, at)
  const half = Math.SQRT1_2
  // On the ellipse at 45 degrees of its parameter, and outwards along its normal there.
  const spot = (sign: number, by: number) => {
    const normal = { x: sign / pose.rx, y: 1 / pose.ry }
    const length = Math.hypot(normal.x, normal.y)
    return { x: sign * pose.rx * half + (normal.x / length) * by, y: pose.ry * half + (normal.y / length) * by }
  }
  return {
    sizes: [
      { key: 'right', axis: 'x' as const, x: pose.rx, y: 0 },
      { key: 'left', axis: 'x' as const, x: -pose.rx, y: 0 },
      { key: 'bottom', axis: 'y' as const, x: 0, y: pose.ry },
      { key: 'top', axis: 'y' as const, x: 0, y: -pose.ry },
    ],
    turn: { x: 0, y: -pose.ry - 2 * away },
    outer: spot(1, outer + away),
    inner: spot(-1, -Math.min(inner, Math.min(pose.rx, pose.ry) * 0.7) - away),
    inside: { rx: Math.max(pose.rx - inner, 0.1), ry: Math.max(pose.ry - inner, 0.1) },
    outside: { rx: pose.rx + outer, ry: pose.ry + outer },
  }
})

function sourcePoint(event: PointerEvent): Point {
  const box = svg.value!.getBoundingClientRect()
  const piece = {
    x: (event.clientX - box.left - props.left) / props.scale,
    y: (event.clientY - box.top - props.top) / props.scale,
  }
  return toSource(map.value, piece)
}

/** Follow the pointer until it is let go. */
function drag(event: PointerEvent, move: (now: PointerEvent) => void, end: (moved: boolean) => void) {
  event.preventDefault()
  event.stopPropagation()
  let moved = false
  const onMove = (now: PointerEvent) => {
    moved ||= Math.hypot(now.clientX - event.clientX, now.clientY - event.clientY) > 2
    if (moved) move(now)
  }
  const onEnd = () => {
    window.removeEventListener('pointermove', onMove)
    window.removeEventListener('pointerup', onEnd)
    window.removeEventListener('pointercancel', onEnd)
    bench.dragging = false
    end(moved)
  }
  bench.dragging = true
  window.addEventListener('pointermove', onMove)
  window.addEventListener('pointerup', onEnd)
  window.addEventListener('pointercancel', onEnd)
}

function dragPose(
  event: PointerEvent,
  label: string,
  change: (start: Pose, from: Point, now: Point, even: boolean) => Pose,
) {
  if (event.button !== 0) return
  const shape = held.value
  if (!shape) return
  const start = { ...shape.pose }
  const from = sourcePoint(event)
  let pose = start
  drag(
    event,
    (now) => {
      pose = change(start, from, sourcePoint(now), now.shiftKey)
      bench.tryPlace(shape.part, pose)
    },
    (moved) => moved && bench.place(shape.part, pose, label),
  )
}

function grab(event: PointerEvent, region: Region) {
  if (event.button !== 0 || bench.playing) return
  if (region.id !== bench.regionId) {
    event.stopPropagation()
    bench.regionId = region.id
    return
  }
  dragPose(event, 'Move shape', (start, from, now) => ({
    ...start,
    x: start.x + now.x - from.x,
    y: start.y + now.y - from.y,
  }))
}

function size(event: PointerEvent, axis: 'x' | 'y') {
  dragPose(event, 'Size shape', (start, _, now, even) => {
    const turn = (start.rotation * Math.PI) / 180
    const [dx, dy] = [now.x - start.x, now.y - start.y]
    const along = axis === 'x' ? dx * Math.cos(turn) + dy * Math.sin(turn) : dy * Math.cos(turn) - dx * Math.sin(turn)
    const wanted = Math.max(Math.abs(along), 1)
    const factor = wanted / (axis === 'x' ? start.rx : start.ry)
    if (even) return { ...start, rx: start.rx * factor, ry: start.ry * factor }
    return axis === 'x' ? { ...start, rx: wanted } : { ...start, ry: wanted }
  })
}

function turn(event: PointerEvent) {
  dragPose(event, 'Turn shape', (start, from, now, even) => {
    const angle = (point: Point) => (Math.atan2(point.y - start.y, point.x - start.x) * 180) / Math.PI
    const rotation = start.rotation + ((angle(now) - angle(from) + 540) % 360) - 180
    return { ...start, rotation: even ? Math.round(rotation / 15) * 15 : rotation }
  })
}

function feather(event: PointerEvent, which: 'feather_in' | 'feather_out') {
  if (event.button !== 0) return
  const shape = held.value
  if (!shape) return
  const at = bench.sourceFrame
  const from = sourcePoint(event)
  const start = valueAt(shape.part[which], at)
  const centre = Math.hypot(from.x - shape.pose.x, from.y - shape.pose.y)
  const change = (value: number) => (region: Region) => {
    const part = region.parts.find((one) => one.id === shape.part.id)
    if (part) part[which] = withValue(part[which], at, value)
  }
  let value = start
  drag(
    event,
    (now) => {
      const point = sourcePoint(now)
      const by = Math.hypot(point.x - shape.pose.x, point.y - shape.pose.y) - centre
      value = Math.round(Math.min(Math.max(start + (which === 'feather_out' ? by : -by), 0), 400))
      bench.tryRegion(change(value))
    },
    (moved) => moved && void bench.editRegion('Soften edge', change(value)),
  )
}

function press(event: PointerEvent) {
  if (!bench.drawing || event.button !== 0) {
    emit('pan', event)
    return
  }
  const from = sourcePoint(event)
  drag(
    event,
    (now) => {
      drawn.value = { from, to: sourcePoint(now) }
    },
    () => {
      const pose = drawn.value && box(drawn.value.from, drawn.value.to)
      drawn.value = null
      if (pose && Math.min(pose.rx, pose.ry) * 2 >= LEAST * pixel.value) void bench.addRegion(pose)
    },
  )
}

function box(a: Point, b: Point): Pose {
  return {
    x: (a.x + b.x) / 2,
    y: (a.y + b.y) / 2,
    rx: Math.max(Math.abs(a.x - b.x) / 2, 0.5),
    ry: Math.max(Math.abs(a.y - b.y) / 2, 0.5),
    rotation: 0,
  }
}

const sketch = computed(() => (drawn.value ? box(drawn.value.from, drawn.value.to) : null))
</script>

<template>
  <svg
    ref="svg"
    class="overlay"
    :class="{ drawing: bench.drawing }"
    :width="width"
    :height="height"
    aria-label="Shapes"
    data-testid="overlay"
    @pointerdown="press"
  >
    <g :transform="transform">
      <g
        v-for="shape in shapes"
        :key="shape.part.id"
        :transform="place(shape.pose)"
        role="group"
        :aria-label="`${shape.region.name}: ${shape.part.name}`"
      >
        <ellipse
          class="body"
          :rx="shape.pose.rx"
          :ry="shape.pose.ry"
          :class="{ selected: shape.selected }"
          @pointerdown="grab($event, shape.region)"
        />
        <g v-if="bench.view === 'outline' || shape.selected" class="lines" :class="{ off: !shape.region.on }">
          <ellipse :rx="shape.pose.rx" :ry="shape.pose.ry" class="under" :stroke-width="shape.selected ? 4.5 : 3.5" />
          <ellipse
            :rx="shape.pose.rx"
            :ry="shape.pose.ry"
            :stroke="tint(shape.region)"
            :stroke-width="shape.selected ? 2.5 : 1.5"
            :stroke-dasharray="dashes(shape.region.colour).join(' ')"
          />
        </g>
      </g>
      <g v-if="held && handles" :transform="place(held.pose)">
        <g class="lines faint">
          <ellipse v-bind="handles.inside" class="under" stroke-width="2" />
          <ellipse v-bind="handles.inside" stroke="#fff" stroke-width="1" stroke-dasharray="2 4" />
          <ellipse v-bind="handles.outside" class="under" stroke-width="2" />
          <ellipse v-bind="handles.outside" stroke="#fff" stroke-width="1" stroke-dasharray="2 4" />
          <line x1="0" :y1="-held.pose.ry" x2="0" :y2="handles.turn.y" class="under" stroke-width="3" />
          <line x1="0" :y1="-held.pose.ry" x2="0" :y2="handles.turn.y" stroke="#fff" stroke-width="1" />
        </g>
        <rect
          v-for="handle in handles.sizes"
          :key="handle.key"
          class="handle"
          :data-handle="handle.key"
          :x="handle.x - 4.5 * pixel"
          :y="handle.y - 4.5 * pixel"
          :width="9 * pixel"
          :height="9 * pixel"
          @pointerdown="size($event, handle.axis)"
        >
          <title>Size; with Shift both ways</title>
        </rect>
        <circle
          class="handle"
          data-handle="turn"
          :cx="handles.turn.x"
          :cy="handles.turn.y"
          :r="5.5 * pixel"
          @pointerdown="turn"
        >
          <title>Turn; with Shift in steps of 15°</title>
        </circle>
        <path
          v-for="(spot, which) in { feather_out: handles.outer, feather_in: handles.inner }"
          :key="which"
          class="handle"
          :data-handle="which"
          :d="`M ${spot.x} ${spot.y - 6 * pixel} l ${6 * pixel} ${6 * pixel} l ${-6 * pixel} ${6 * pixel} l ${-6 * pixel} ${-6 * pixel} z`"
          @pointerdown="feather($event, which)"
        >
          <title>{{ which === 'feather_out' ? 'Soften outwards' : 'Soften inwards' }}</title>
        </path>
      </g>
      <g v-if="sketch" :transform="place(sketch)" class="lines">
        <ellipse :rx="sketch.rx" :ry="sketch.ry" class="under" stroke-width="4" />
        <ellipse :rx="sketch.rx" :ry="sketch.ry" stroke="#fff" stroke-width="2" />
      </g>
    </g>
  </svg>
  <p v-if="bench.drawing" class="hint">Drag an ellipse over it. Enter puts one in the middle, Esc leaves drawing.</p>
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
.body.selected {
  cursor: move;
}
.drawing .body {
  pointer-events: none;
}
.lines {
  fill: none;
  pointer-events: none;
}
.lines ellipse,
.lines line {
  vector-effect: non-scaling-stroke;
}
.lines.off {
  opacity: 0.4;
}
.faint {
  opacity: 0.8;
}
.under {
  stroke: #000;
  stroke-opacity: 0.75;
}
.handle {
  fill: #fff;
  stroke: #000;
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
  cursor: pointer;
}
.hint {
  position: absolute;
  left: 50%;
  bottom: 12px;
  transform: translateX(-50%);
  padding: 4px 12px;
  border-radius: 4px;
  background: #000b;
  color: #fff;
  pointer-events: none;
}
</style>
