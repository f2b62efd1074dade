<script setup lang="ts">
// Handles of the look that is open on the card: the ends of a bar, the source of a patch. They ride on the region's first shape.
import { computed } from 'vue'
import type { Look, Shape } from '../api/types'
import { contour, shapeKind } from '../shapes'
import { numberOf, SIDES, useLooks } from '../state/looks'
import { shapesOf, valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import { drag } from './drag'
import { apply, inverse, line, matrixOf } from './geometry'
import type { Point } from './mapping'
import { useSpace } from './space'

/** A place that two settings of a look give; in the unit square of the shape, or beside its middle, in pixels of the clip. */
interface Grip {
  key: string
  label: string
  x: string
  y: string
  square: boolean
}
const GRIPS: Record<string, Grip[]> = {
  bar: [
    { key: 'bar-left', label: 'Left end', x: 'left', y: 'left_height', square: true },
    { key: 'bar-right', label: 'Right end', x: 'right', y: 'right_height', square: true },
  ],
  patch: [{ key: 'patch-source', label: 'Source', x: 'across', y: 'down', square: false }],
}
const PERCENT = 100

const { selection, lanes } = useStores()
const looks = useLooks()
const { pixel, sourcePoint } = useSpace()

const opened = computed(() => {
  const region = selection.region
  if (!region) return null
  for (const side of SIDES) {
    const look = region[side].find((one) => one.id === looks.open)
    if (look && look.kind in GRIPS) return { side, look }
  }
  return null
})
const shape = computed<Shape | undefined>(() => (selection.region ? shapesOf(selection.region)[0] : undefined))
const pose = computed(() => shape.value && lanes.poseOf(shape.value))
const carrier = computed(() => lanes.seenBy(shape.value))

function value(look: Look, name: string): number {
  const setting = looks.kindOf(look)?.settings.find((one) => one.name === name)
  return setting ? valueAt(numberOf(look, setting), lanes.sourceFrame) : 0
}

/** Where a grip lies in the shape's own space. */
function place(look: Look, grip: Grip): Point {
  const [x, y] = [value(look, grip.x), value(look, grip.y)]
  if (!pose.value) return { x, y }
  if (!grip.square) return { x: pose.value.x + x, y: pose.value.y + y }
  return apply(matrixOf(pose.value), { x: x / PERCENT, y: y / PERCENT })
}

const seen = (point: Point) => apply(carrier.value, point)
const grips = computed(() => {
  const one = opened.value
  return one && pose.value ? GRIPS[one.look.kind].map((grip) => ({ ...grip, at: seen(place(one.look, grip)) })) : []
})
/** The outline of what a patch takes, and the way from the region to it; the line of a bar. */
const drawn = computed(() => {
  const [one, part, lies] = [opened.value, shape.value, pose.value]
  if (!one || !part || !lies || !grips.value.length) return ''
  if (one.look.kind === 'bar')
    return line(
      grips.value.map((grip) => grip.at),
      false,
    )
  const [dx, dy] = [value(one.look, 'across'), value(one.look, 'down')]
  const outline = contour(part, lies, lanes.pointsOf(part), lanes.sourceFrame)
  const source = outline.map(({ x, y }) => seen({ x: x + dx, y: y + dy }))
  return `${line(source, !shapeKind(part.kind)?.endless)} ${line([seen(lies), grips.value[0].at], false)}`
})

function pull(event: PointerEvent, grip: Grip) {
  const [one, lies] = [opened.value, pose.value]
  if (event.button !== 0 || !one || !lies) return
  const { side, look } = one
  const [back, frame] = [inverse(carrier.value), lanes.sourceFrame]
  const own = inverse(matrixOf(lies))
  let to: Point | null = null
  const set = (meant: boolean) =>
    looks.change(
      side,
      look,
      `Move ${grip.label.toLowerCase()}`,
      (fresh) => {
        for (const [name, next] of [
          [grip.x, to?.x],
          [grip.y, to?.y],
        ] as const) {
          const setting = looks.kindOf(fresh)?.settings.find((each) => each.name === name)
          if (!setting || next === undefined) continue
          const within = Math.min(Math.max(next, setting.low ?? -Infinity), setting.high ?? Infinity)
          fresh.settings[name] = withValue(numberOf(fresh, setting), frame, Math.round(within * 10) / 10)
        }
      },
      meant,
    )
  drag(
    event,
    (now) => {
      const point = apply(back, sourcePoint(now))
      const unit = apply(own, point)
      to = grip.square ? { x: unit.x * PERCENT, y: unit.y * PERCENT } : { x: point.x - lies.x, y: point.y - lies.y }
      set(false)
    },
    (moved) => moved && set(true),
  )
}
</script>

<template>
  <g v-if="grips.length">
    <g class="lines">
      <path :d="drawn" class="under" stroke-width="4" />
      <path :d="drawn" stroke="#fff" stroke-width="1.5" stroke-dasharray="6 4" />
    </g>
    <circle
      v-for="grip in grips"
      :key="grip.key"
      class="handle"
      :data-handle="grip.key"
      :cx="grip.at.x"
      :cy="grip.at.y"
      :r="7 * pixel"
      @pointerdown="pull($event, grip)"
    >
      <title>{{ grip.label }}</title>
    </circle>
  </g>
</template>
