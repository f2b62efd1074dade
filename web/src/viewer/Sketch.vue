<script setup lang="ts">
// Drawing what is new: a shape, an area to follow, a tracker.
import { computed, ref, watch } from 'vue'
import type { OutlinePoint, Part } from '../api/types'
import { useAround } from '../state/around'
import { useFound } from '../state/found'
import { useLooks } from '../state/looks'
import { usePicking } from '../state/picking'
import { useStores } from '../state/stores'
import { shapeKind } from '../shapes'
import { along, line } from './geometry'
import { drag } from './drag'
import type { Point } from './mapping'
import { useSpace } from './space'

const LEAST = 6 // screen pixels; a smaller drag is a slip
const { selection, tools, commands } = useStores()
const around = useAround()
const found = useFound()
const looks = useLooks()
const picking = usePicking()
const { pixel, sourcePoint } = useSpace()
const box = ref<{ from: Point; to: Point } | null>(null)
const path = ref<{ at: Point; arm: Point }[]>([])

watch(
  () => tools.inHand,
  () => {
    box.value = null
    path.value = []
  },
)

function press(event: PointerEvent) {
  const tool = tools.inHand
  if (!tool || tool.draw === 'stroke') return
  const from = sourcePoint(event)
  if (tool.draw === 'path') return addPoint(event, from)
  if (tool.draw === 'tracker') {
    event.stopPropagation()
    return putTracker(from, tool.motion)
  }
  if (tool.draw === 'spot') {
    event.stopPropagation()
    // More of them can follow while the recipe's guide is open.
    if (!looks.guide) tools.layDown()
    return void looks.applyRecipe(tool.recipe, from)
  }
  drag(
    event,
    (now) => {
      box.value = { from, to: sourcePoint(now) }
    },
    () => {
      const drawn = box.value
      box.value = null
      if (tool.draw === 'horizon') return horizon(from, drawn?.to ?? from, tool.into)
      if (tool.draw === 'pick') return pick(from, drawn?.to ?? from)
      if (!drawn) return
      const size = { x: Math.abs(drawn.from.x - drawn.to.x), y: Math.abs(drawn.from.y - drawn.to.y) }
      if (Math.min(size.x, size.y) < LEAST * pixel.value) return
      if (tool.draw === 'area') return area(drawn.from, drawn.to)
      if (tool.draw === 'path') return
      const centre = { x: (drawn.from.x + drawn.to.x) / 2, y: (drawn.from.y + drawn.to.y) / 2 }
      const half = { rx: size.x / 2, ry: size.y / 2 }
      if (tool.draw === 'face') return found.put(tool.track, { ...around.kept(centre), ...half })
      void commands.addShape(shape(tool.draw, centre, half), tool.into)
    },
  )
}

function shape(kind: 'ellipse' | 'rectangle', centre: Point, half: { rx: number; ry: number }) {
  return { kind, ...centre, ...half } as unknown as Omit<Part, 'id'>
}

/** The colours of a box; of one across the border of the wide picture those where it was begun. */
function pick(from: Point, to: Point) {
  const [one, other] = [around.kept(from), around.kept(to)]
  const across = around.sphere && Math.abs(one.x - other.x) > around.sphere.width / 2
  void picking.pick(one, across ? one : other)
}

/** A click lays it level; a drag lays it along the drag. What is above it is covered, to the left of the way. */
function horizon(from: Point, to: Point, into: string | null) {
  const tilted = Math.hypot(to.x - from.x, to.y - from.y) > LEAST * 4 * pixel.value
  const angle = tilted ? (Math.atan2(to.y - from.y, to.x - from.x) * 180) / Math.PI : 0
  const at = tilted ? { x: (from.x + to.x) / 2, y: (from.y + to.y) / 2 } : from
  void commands.addShape(
    { kind: 'horizon', ...at, rotation: angle, feather_in: 60, feather_out: 60 } as unknown as Omit<Part, 'id'>,
    into,
  )
}

function area(a: Point, b: Point) {
  tools.layDown()
  const [left, right, top, bottom] = [Math.min(a.x, b.x), Math.max(a.x, b.x), Math.min(a.y, b.y), Math.max(a.y, b.y)]
  const corners: [number, number][] = [
    [left, top],
    [right, top],
    [right, bottom],
    [left, bottom],
  ]
  const view = around.view
  void newMotion((shot, frame) => ({ do: 'new motion', shot, frame, area: corners, model: commands.model, view }))
}

async function newMotion(make: Parameters<typeof commands.change>[0]) {
  if (await commands.change(make)) selection.motionId = selection.createdMotion()?.id ?? selection.motionId
}

function putTracker(at: Point, motion: string | null) {
  const spot: [number, number] = [at.x, at.y]
  const [view, model] = [around.view, commands.model]
  if (motion) void commands.change((shot, frame) => ({ do: 'add tracker', shot, motion, frame, spot, view }))
  else void newMotion((shot, frame) => ({ do: 'new motion', shot, frame, tracker: spot, model, area: [], view }))
  tools.layDown()
}

function addPoint(event: PointerEvent, at: Point) {
  const first = path.value[0]?.at
  if (first && path.value.length > 2 && Math.hypot(at.x - first.x, at.y - first.y) < 9 * pixel.value) {
    event.stopPropagation()
    finish()
    return
  }
  const fresh = { at, arm: { x: 0, y: 0 } }
  path.value = [...path.value, fresh]
  drag(
    event,
    (now) => {
      const to = sourcePoint(now)
      path.value = [...path.value.slice(0, -1), { at, arm: { x: to.x - at.x, y: to.y - at.y } }]
    },
    () => undefined,
  )
}

/** Close the path; it needs three points. */
function finish() {
  const tool = tools.inHand
  if (tool?.draw !== 'path') return
  const drawn = path.value
  if (drawn.length < 3) return
  const [xs, ys] = [drawn.map(({ at }) => at.x), drawn.map(({ at }) => at.y)]
  const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
  const [x, y] = [(left + right) / 2, (top + bottom) / 2]
  const [rx, ry] = [Math.max((right - left) / 2, 1), Math.max((bottom - top) / 2, 1)]
  const points: OutlinePoint[] = drawn.map(({ at, arm }) => ({
    x: (at.x - x) / rx,
    y: (at.y - y) / ry,
    before: [-arm.x / rx, -arm.y / ry],
    after: [arm.x / rx, arm.y / ry],
  }))
  path.value = []
  void commands.addShape({ kind: 'path', x, y, rx, ry, points } as unknown as Omit<Part, 'id'>, tool.into)
}

/** Take the last point back. */
function back() {
  path.value = path.value.slice(0, -1)
}

const outline = computed(() => {
  if (path.value.length) {
    const points: OutlinePoint[] = path.value.map(({ at, arm }) => ({
      ...at,
      before: [-arm.x, -arm.y],
      after: [arm.x, arm.y],
    }))
    return line(
      points.flatMap((point, i) =>
        i + 1 < points.length
          ? Array.from({ length: 16 }, (_, k) => along(point, points[i + 1], k / 16))
          : [{ x: point.x, y: point.y }],
      ),
      false,
    )
  }
  if (!box.value) return ''
  const { from, to } = box.value
  const kind = shapeKind(tools.draw ?? undefined)
  if (kind?.sketch) return line(kind.sketch(from, to), !kind.endless)
  return line([from, { x: to.x, y: from.y }, to, { x: from.x, y: to.y }])
})

defineExpose({ press, finish, back })
</script>

<template>
  <g>
    <g v-if="outline" class="lines">
      <path :d="outline" class="under" stroke-width="4" />
      <path :d="outline" stroke="#fff" stroke-width="2" />
    </g>
    <rect
      v-for="(point, index) in path"
      :key="index"
      class="handle"
      :class="{ chosen: index === 0 && path.length > 2 }"
      :x="point.at.x - 4 * pixel"
      :y="point.at.y - 4 * pixel"
      :width="8 * pixel"
      :height="8 * pixel"
      pointer-events="none"
    />
  </g>
</template>
