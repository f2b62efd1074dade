<script setup lang="ts">
// Handles of the selected shape: size, turn, shear, softness, corners, rounding. They work in the shape's own space.
import { computed } from 'vue'
import type { Shape, Pose, Rectangle } from '../api/types'
import { hasKey, isKeyed, valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import { drag } from './drag'
import { contour, shapeKind } from '../shapes'
import { apply, carry, inverse, line, matrixOf, offset } from './geometry'
import type { Point } from './mapping'
import { useSpace } from './space'

const props = defineProps<{ part: Shape }>()
const { lanes, commands } = useStores()
const { pixel, sourcePoint } = useSpace()

const pose = computed(() => lanes.poseOf(props.part))
const carrier = computed(() => lanes.seenBy(props.part))
const seen = (point: Point) => apply(carrier.value, point)
const away = computed(() => 16 * pixel.value)
const softness = computed(() => ({
  feather_in: valueAt(props.part.feather_in, lanes.sourceFrame),
  feather_out: valueAt(props.part.feather_out, lanes.sourceFrame),
}))

/** A place in the shape's unit square, moved outwards by screen distance, as it is seen. */
function spot(x: number, y: number, dx = 0, dy = 0): Point {
  const turn = (carry(pose.value, carrier.value).rotation * Math.PI) / 180
  const base = seen(apply(matrixOf(pose.value), { x, y }))
  return {
    x: base.x + dx * Math.cos(turn) - dy * Math.sin(turn),
    y: base.y + dx * Math.sin(turn) + dy * Math.cos(turn),
  }
}

// Beside the points of a path, not among them.
const aside = computed(() => (props.part.kind === 'path' ? 0.9 * away.value : 0))
const sizes = computed(() => [
  { key: 'right', axis: 'x' as const, ...spot(1, 0, aside.value) },
  { key: 'left', axis: 'x' as const, ...spot(-1, 0, -aside.value) },
  { key: 'bottom', axis: 'y' as const, ...spot(0, 1, 0, aside.value) },
  { key: 'top', axis: 'y' as const, ...spot(0, -1, 0, -aside.value) },
])
const kind = computed(() => shapeKind(props.part.kind))
const flat = computed(() => !!kind.value?.endless)
const turnSpot = computed(() => (flat.value ? { ...seen(along(140 * pixel.value)) } : spot(0, -1, 0, -2 * away.value)))
const shearSpot = computed(() => spot(0, -1, 2 * away.value, -aside.value))
const diagonal = computed(() => kind.value?.corner ?? 1)
const soft = computed(() => {
  const { feather_in, feather_out } = softness.value
  if (flat.value) {
    const turn = (carry(pose.value, carrier.value).rotation * Math.PI) / 180
    const at = seen(along(-90 * pixel.value))
    const off = (by: number) => ({ x: at.x - Math.sin(turn) * by, y: at.y + Math.cos(turn) * by })
    return { feather_out: off(feather_out + away.value), feather_in: off(-feather_in - away.value) }
  }
  const half = diagonal.value * 0.98
  const far = (feather_out + away.value) * 0.72
  const near = Math.min(feather_in, 0.7 * Math.min(pose.value.rx, pose.value.ry)) * 0.72 + 0.72 * away.value
  return { feather_out: spot(half, half, far, far), feather_in: spot(-half, half, near, -near) }
})
// Full where the corners were set by hand on this frame, hollow in between.
const setHere = computed(() => {
  const points = 'points' in props.part ? props.part.points : null
  return hasKey(points, lanes.sourceFrame) || !isKeyed(points)
})
const corners = computed(() =>
  props.part.kind === 'rectangle'
    ? (lanes.pointsOf(props.part) ?? []).map((point) => seen(apply(matrixOf(pose.value), point)))
    : [],
)
const rounding = computed(() => {
  if (props.part.kind !== 'rectangle') return null
  const value = valueAt(props.part.rounding, lanes.sourceFrame)
  return spot(-1, -1, value + 1.4 * away.value, 0.9 * away.value)
})
const reach = computed(() => {
  const outline = contour(props.part, pose.value, lanes.pointsOf(props.part), lanes.sourceFrame).map(seen)
  const { feather_in, feather_out } = softness.value
  const moved = (by: number) => (flat.value ? outline.map((point) => shifted(point, outline, by)) : offset(outline, by))
  return [-feather_in, feather_out].filter(Boolean).map((by) => line(moved(by), !flat.value))
})

function along(by: number): Point {
  const turn = (pose.value.rotation * Math.PI) / 180
  return { x: pose.value.x + Math.cos(turn) * by, y: pose.value.y + Math.sin(turn) * by }
}

function shifted(point: Point, [a, b]: Point[], by: number): Point {
  const length = Math.hypot(b.x - a.x, b.y - a.y) || 1
  return { x: point.x - ((b.y - a.y) / length) * by, y: point.y + ((b.x - a.x) / length) * by }
}

/** Drag in the shape's own space. */
function dragPose(
  event: PointerEvent,
  label: string,
  change: (start: Pose, from: Point, now: Point, even: boolean) => Pose,
) {
  if (event.button !== 0) return
  const { part } = props
  const back = inverse(carrier.value)
  const start = { ...pose.value }
  const from = apply(back, sourcePoint(event))
  let to = start
  drag(
    event,
    (now) => {
      to = change(start, from, apply(back, sourcePoint(now)), now.shiftKey)
      commands.tryOut(part, { pose: to })
    },
    (moved) => moved && commands.place(part, to, label),
  )
}

function size(event: PointerEvent, axis: 'x' | 'y') {
  dragPose(event, 'Size shape', (start, _, now, even) => {
    const local = apply(inverse(matrixOf(start)), now)
    const factor = Math.max(Math.abs(axis === 'x' ? local.x : local.y), 0.01)
    if (even) return { ...start, rx: start.rx * factor, ry: start.ry * factor }
    return axis === 'x' ? { ...start, rx: start.rx * factor } : { ...start, ry: start.ry * factor }
  })
}

function turn(event: PointerEvent) {
  dragPose(event, flat.value ? 'Tilt horizon' : 'Turn shape', (start, from, now, even) => {
    const angle = (point: Point) => (Math.atan2(point.y - start.y, point.x - start.x) * 180) / Math.PI
    const rotation = start.rotation + ((angle(now) - angle(from) + 540) % 360) - 180
    return { ...start, rotation: even ? Math.round(rotation / 15) * 15 : rotation }
  })
}

function lean(event: PointerEvent) {
  dragPose(event, 'Shear shape', (start, from, now) => {
    const angle = (start.rotation * Math.PI) / 180
    const by = (now.x - from.x) * Math.cos(angle) + (now.y - from.y) * Math.sin(angle)
    const tangent = Math.tan((start.shear * Math.PI) / 180) - by / start.ry
    return { ...start, shear: Math.min(Math.max((Math.atan(tangent) * 180) / Math.PI, -80), 80) }
  })
}

function pull(event: PointerEvent, index: number) {
  if (event.button !== 0) return
  const { part } = props
  const back = inverse(carrier.value)
  const local = inverse(matrixOf(pose.value))
  const start = lanes.pointsOf(part) ?? []
  let points = start
  drag(
    event,
    (now) => {
      const { x, y } = apply(local, apply(back, sourcePoint(now)))
      points = start.map((point, i) => (i === index ? { ...point, x, y } : point))
      commands.tryOut(part, { points })
    },
    (moved) => moved && commands.reshape(part, points),
  )
}

/** Drag a number of the shape that is measured from a place outwards. */
function dragNumber(
  event: PointerEvent,
  label: string,
  start: number,
  measure: (point: Point) => number,
  set: (part: Shape, value: number) => void,
) {
  if (event.button !== 0) return
  const id = props.part.id
  const from = measure(sourcePoint(event))
  let value = start
  drag(
    event,
    (now) => {
      value = Math.round(Math.min(Math.max(start + measure(sourcePoint(now)) - from, 0), 400))
      commands.editPart(label, (part) => set(part as Shape, value), false, id)
    },
    (moved) => moved && commands.editPart(label, (part) => set(part as Shape, value), true, id),
  )
}

function soften(event: PointerEvent, which: 'feather_in' | 'feather_out') {
  const at = lanes.sourceFrame
  const centre = seen(pose.value)
  const turned = (carry(pose.value, carrier.value).rotation * Math.PI) / 180
  const outwards = which === 'feather_out' ? 1 : -1
  const measure = (point: Point) => {
    const [dx, dy] = [point.x - centre.x, point.y - centre.y]
    return outwards * (flat.value ? dy * Math.cos(turned) - dx * Math.sin(turned) : Math.hypot(dx, dy))
  }
  dragNumber(event, 'Soften edge', softness.value[which], measure, (part, value) => {
    part[which] = withValue(part[which], at, value)
  })
}

function round(event: PointerEvent) {
  const part = props.part as Rectangle
  const at = lanes.sourceFrame
  const back = inverse(carrier.value)
  const measure = (point: Point) => apply(inverse(matrixOf(pose.value)), apply(back, point)).x * pose.value.rx
  dragNumber(event, 'Round corners', valueAt(part.rounding, at), measure, (one, value) => {
    if (one.kind === 'rectangle') one.rounding = withValue(one.rounding, at, value)
  })
}

function diamond({ x, y }: Point): string {
  const r = 6 * pixel.value
  return `M ${x} ${y - r} l ${r} ${r} l ${-r} ${r} l ${-r} ${-r} z`
}
</script>

<template>
  <g>
    <g class="lines faint">
      <template v-for="path in reach" :key="path">
        <path :d="path" class="under" stroke-width="2" />
        <path :d="path" stroke="#fff" stroke-width="1" stroke-dasharray="2 4" />
      </template>
      <template v-if="!flat">
        <path :d="line([spot(0, -1), turnSpot], false)" class="under" stroke-width="3" />
        <path :d="line([spot(0, -1), turnSpot], false)" stroke="#fff" stroke-width="1" />
      </template>
    </g>
    <template v-if="!flat">
      <rect
        v-for="handle in sizes"
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
      <path
        class="handle"
        data-handle="shear"
        :d="`M ${shearSpot.x - 7 * pixel} ${shearSpot.y + 4 * pixel} l ${5 * pixel} ${-8 * pixel} h ${9 * pixel} l ${-5 * pixel} ${8 * pixel} z`"
        @pointerdown="lean"
      >
        <title>Shear</title>
      </path>
    </template>
    <circle
      v-for="(corner, index) in corners"
      :key="index"
      class="handle"
      :class="{ between: !setHere }"
      :data-handle="`corner ${index + 1}`"
      :cx="corner.x"
      :cy="corner.y"
      :r="4.5 * pixel"
      @pointerdown="pull($event, index)"
    >
      <title>Pull this corner</title>
    </circle>
    <path
      v-if="rounding"
      class="handle"
      data-handle="rounding"
      :d="`M ${rounding.x - 5 * pixel} ${rounding.y + 5 * pixel} v ${-4 * pixel} a ${6 * pixel} ${6 * pixel} 0 0 1 ${6 * pixel} ${-6 * pixel} h ${4 * pixel} v ${4 * pixel} h ${-4 * pixel} a ${2 * pixel} ${2 * pixel} 0 0 0 ${-2 * pixel} ${2 * pixel} v ${4 * pixel} z`"
      @pointerdown="round"
    >
      <title>Round the corners</title>
    </path>
    <circle class="handle" data-handle="turn" :cx="turnSpot.x" :cy="turnSpot.y" :r="5.5 * pixel" @pointerdown="turn">
      <title>Turn; with Shift in steps of 15°</title>
    </circle>
    <path
      v-for="(place, which) in soft"
      :key="which"
      class="handle"
      :data-handle="which"
      :d="diamond(place)"
      @pointerdown="soften($event, which)"
    >
      <title>{{ which === 'feather_out' ? 'Soften outwards' : 'Soften inwards' }}</title>
    </path>
  </g>
</template>
