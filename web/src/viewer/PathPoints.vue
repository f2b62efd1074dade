<script setup lang="ts">
// The points of the selected path: move one or the chosen ones, bend with handles, add on a side, choose by a frame.
import { computed, ref } from 'vue'
import type { OutlinePoint, Path } from '../api/types'
import { hasKey, isKeyed } from '../state/numbers'
import { useStores } from '../state/stores'
import { drag } from './drag'
import { along, apply, inverse, line, matrixOf } from './geometry'
import type { Point } from './mapping'
import { useSpace } from './space'

const props = defineProps<{ part: Path }>()
const { selection, lanes, commands } = useStores()
const { pixel, sourcePoint } = useSpace()
const frame = ref<{ from: Point; to: Point } | null>(null)

const points = computed(() => lanes.pointsOf(props.part) ?? [])
const own = computed(() => matrixOf(lanes.poseOf(props.part)))
const carrier = computed(() => lanes.seenBy(props.part))
const seen = (point: Point) => apply(carrier.value, apply(own.value, point))
const shown = computed(() =>
  points.value.map((point) => ({
    ...seen(point),
    ends: (['before', 'after'] as const).map((which) => {
      const [x, y] = point[which] ?? [0, 0]
      return { which, bent: x !== 0 || y !== 0, ...seen({ x: point.x + x, y: point.y + y }) }
    }),
  })),
)
// Full where the points were set by hand on this frame, hollow in between.
const setHere = computed(() => hasKey(props.part.points, lanes.sourceFrame) || !isKeyed(props.part.points))
const sides = computed(() =>
  points.value.map((point, i) => {
    const next = points.value[(i + 1) % points.value.length]
    return line(
      Array.from({ length: 13 }, (_, k) => seen(along(point, next, k / 12))),
      false,
    )
  }),
)

function local(event: PointerEvent | MouseEvent): Point {
  return apply(inverse(own.value), apply(inverse(carrier.value), sourcePoint(event)))
}

function moving(event: PointerEvent, change: (start: OutlinePoint[], by: Point, now: PointerEvent) => OutlinePoint[]) {
  const { part } = props
  const start = points.value
  const from = local(event)
  let fresh = start
  drag(
    event,
    (now) => {
      const to = local(now)
      fresh = change(start, { x: to.x - from.x, y: to.y - from.y }, now)
      commands.tryOut(part, { points: fresh })
    },
    (moved) => moved && commands.reshape(part, fresh),
  )
}

function grab(event: PointerEvent, index: number) {
  if (event.button !== 0) return
  const had = selection.points.includes(index)
  if (event.shiftKey)
    selection.points = had ? selection.points.filter((one) => one !== index) : [...selection.points, index]
  else if (!had) selection.points = [index]
  const chosen = new Set(selection.points)
  moving(event, (start, by) => start.map((p, i) => (chosen.has(i) ? { ...p, x: p.x + by.x, y: p.y + by.y } : p)))
}

/** A handle pulls its partner along, unless Alt breaks the two. */
function bend(event: PointerEvent, index: number, which: 'before' | 'after') {
  if (event.button !== 0) return
  moving(event, (start, by, now) =>
    start.map((p, i) => {
      if (i !== index) return p
      const [x, y] = p[which] ?? [0, 0]
      const moved: [number, number] = [x + by.x, y + by.y]
      const other = which === 'before' ? 'after' : 'before'
      const length = Math.hypot(...((p[other] ?? [0, 0]) as [number, number]))
      const scale = length / (Math.hypot(...moved) || 1)
      const partner: [number, number] = [-moved[0] * scale, -moved[1] * scale]
      return { ...p, [which]: moved, ...(now.altKey || !length ? {} : { [other]: partner }) }
    }),
  )
}

function add(event: MouseEvent, side: number) {
  const at = local(event)
  const [here, next] = [points.value[side], points.value[(side + 1) % points.value.length]]
  const distance = (t: number) => {
    const point = along(here, next, t)
    return Math.hypot(point.x - at.x, point.y - at.y)
  }
  const shares = Array.from({ length: 97 }, (_, k) => 0.02 + k / 100)
  const share = shares.reduce((best, t) => (distance(t) < distance(best) ? t : best), 0.5)
  selection.points = []
  void commands.change((shot) => ({ do: 'add point', shot, part: props.part.id, side, share }))
}

/** Turn a corner into a smooth point and back. */
function convert(index: number) {
  const bent = shown.value[index].ends.some((end) => end.bent)
  commands.reshape(props.part, bent ? sharp(points.value, [index]) : smooth(points.value, [index]))
}

function marquee(event: PointerEvent) {
  const from = sourcePoint(event)
  drag(
    event,
    (now) => {
      frame.value = { from, to: sourcePoint(now) }
      const { to } = frame.value
      const [left, right] = [Math.min(from.x, to.x), Math.max(from.x, to.x)]
      const [top, bottom] = [Math.min(from.y, to.y), Math.max(from.y, to.y)]
      selection.points = shown.value.flatMap(({ x, y }, i) =>
        x >= left && x <= right && y >= top && y <= bottom ? [i] : [],
      )
    },
    (moved) => {
      frame.value = null
      if (!moved) selection.points = []
    },
  )
}

defineExpose({ marquee })
</script>

<script lang="ts">
/** Points without handles: corners. */
export function sharp(points: OutlinePoint[], which: number[]): OutlinePoint[] {
  return points.map((p, i) => (which.includes(i) ? { ...p, before: [0, 0], after: [0, 0] } : p))
}

/** Points with handles along the way from their neighbour before to the one after. */
export function smooth(points: OutlinePoint[], which: number[]): OutlinePoint[] {
  return points.map((p, i) => {
    if (!which.includes(i)) return p
    const before = points[(i + points.length - 1) % points.length]
    const after = points[(i + 1) % points.length]
    const way = [after.x - before.x, after.y - before.y]
    const length = Math.hypot(...way) || 1
    const arm = (other: OutlinePoint) => Math.hypot(other.x - p.x, other.y - p.y) / 3 / length
    const [a, b] = [arm(before), arm(after)]
    return { ...p, before: [-way[0] * a, -way[1] * a], after: [way[0] * b, way[1] * b] }
  })
}

/** Handles made shorter (tighter curve) or longer. */
export function scaled(points: OutlinePoint[], which: number[], factor: number): OutlinePoint[] {
  const times = (end: [number, number] | number[] | undefined): [number, number] => [
    (end?.[0] ?? 0) * factor,
    (end?.[1] ?? 0) * factor,
  ]
  return points.map((p, i) => (which.includes(i) ? { ...p, before: times(p.before), after: times(p.after) } : p))
}
</script>

<template>
  <g>
    <path
      v-for="(side, index) in sides"
      :key="`side ${index}`"
      class="side"
      :d="side"
      stroke-width="9"
      :data-side="index + 1"
      @dblclick="add($event, index)"
    >
      <title>Double click adds a point</title>
    </path>
    <g v-for="(point, index) in shown" :key="index">
      <template v-for="end in point.ends" :key="end.which">
        <template v-if="end.bent && selection.points.includes(index)">
          <path class="lines under" :d="line([point, end], false)" stroke-width="3" />
          <path class="lines" :d="line([point, end], false)" stroke="#fff" stroke-width="1" />
          <circle
            class="handle"
            :data-handle="`${end.which} ${index + 1}`"
            :cx="end.x"
            :cy="end.y"
            :r="3.5 * pixel"
            @pointerdown="bend($event, index, end.which)"
          >
            <title>Bend; with Alt one side only</title>
          </circle>
        </template>
      </template>
      <rect
        class="handle"
        :class="{ chosen: selection.points.includes(index), between: !setHere }"
        :data-handle="`point ${index + 1}`"
        :x="point.x - 4 * pixel"
        :y="point.y - 4 * pixel"
        :width="8 * pixel"
        :height="8 * pixel"
        :rx="point.ends.some((end) => end.bent) ? 4 * pixel : 0"
        @pointerdown="grab($event, index)"
        @dblclick.stop="convert(index)"
      >
        <title>Move; Shift chooses several; double click makes a corner or a curve</title>
      </rect>
    </g>
    <rect
      v-if="frame"
      class="lines frame"
      :x="Math.min(frame.from.x, frame.to.x)"
      :y="Math.min(frame.from.y, frame.to.y)"
      :width="Math.abs(frame.to.x - frame.from.x)"
      :height="Math.abs(frame.to.y - frame.from.y)"
    />
  </g>
</template>

<style scoped>
.side {
  fill: none;
  stroke: transparent;
  vector-effect: non-scaling-stroke;
  cursor: copy;
}
.lines {
  fill: none;
  pointer-events: none;
  vector-effect: non-scaling-stroke;
}
.frame {
  stroke: #fff;
  stroke-width: 1.5;
  stroke-dasharray: 4 3;
  fill: #fff2;
}
</style>
