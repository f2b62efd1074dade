<script setup lang="ts">
// What the motion at hand follows: its area, its trackers, and a grid laid into its perspective to judge it.
import { computed } from 'vue'
import { useAround } from '../state/around'
import { trackerColour } from '../state/trackers'
import { useStores } from '../state/stores'
import { apply, line, multiplied } from './geometry'
import type { Point } from './mapping'
import { useSpace } from './space'

const LINES = 8
const { selection, lanes, view } = useStores()
const around = useAround()
const { pixel } = useSpace()

const motion = computed(
  () =>
    selection.motion ??
    selection.shot?.motions.find((one) => one.id === selection.shape?.attached_to && view.grid) ??
    null,
)
const turned = computed(() => around.turned(motion.value?.view))
const carrier = computed(() => multiplied(turned.value, lanes.carrierOf(motion.value?.id)))
const area = computed(() => line((motion.value?.area ?? []).map(([x, y]) => apply(carrier.value, { x, y }))))
const grid = computed(() => {
  if (!view.grid || !motion.value) return []
  const spots = motion.value.area?.length
    ? motion.value.area.map(([x, y]) => ({ x, y }))
    : motion.value.trackers.map(({ x, y }) => ({ x, y }))
  const [xs, ys] = [spots.map(({ x }) => x), spots.map(({ y }) => y)]
  const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
  const at = (u: number, v: number): Point => ({ x: left + u * (right - left), y: top + v * (bottom - top) })
  const steps = Array.from({ length: LINES + 1 }, (_, i) => i / LINES)
  const drawn = steps.flatMap((u) => [
    [at(u, 0), at(u, 1)],
    [at(0, u), at(1, u)],
  ])
  return drawn.map((ends) =>
    line(
      ends.map((end) => apply(carrier.value, end)),
      false,
    ),
  )
})
const trackers = computed(() =>
  (motion.value?.trackers ?? []).flatMap((tracker, i) => {
    const known = motion.value && lanes.carried[motion.value.id]
    const place = known?.trackers[i]?.[lanes.sourceFrame - known.first]
    const at = place ? { x: place[0], y: place[1] } : lanes.sourceFrame === tracker.at ? tracker : null
    return at ? [{ tracker, ...apply(turned.value, at), colour: trackerColour(i) }] : []
  }),
)
</script>

<template>
  <g v-if="motion && around.within(motion)" :aria-label="motion.name">
    <g class="lines">
      <template v-if="selection.motion">
        <path :d="area" class="under" stroke-width="4" />
        <path :d="area" stroke="#fff" stroke-width="1.5" stroke-dasharray="6 4" data-testid="area" />
      </template>
      <template v-for="(one, index) in grid" :key="index">
        <path :d="one" class="under" stroke-width="2.5" />
        <path :d="one" stroke="#fff" stroke-width="1" data-testid="grid" />
      </template>
      <g v-for="{ tracker, x, y, colour } in trackers" :key="tracker.id" :class="{ off: !tracker.on }">
        <template v-for="(style, index) in ['under', 'over']" :key="style">
          <path
            :class="style"
            :stroke-width="index ? 1.5 : 4"
            :d="`M ${x - 12 * pixel} ${y} h ${24 * pixel} M ${x} ${y - 12 * pixel} v ${24 * pixel}`"
          />
          <rect
            :class="style"
            :stroke-width="index ? 1 : 3"
            :x="x - tracker.size"
            :y="y - tracker.size"
            :width="2 * tracker.size"
            :height="2 * tracker.size"
          />
        </template>
        <circle :cx="x" :cy="y" :r="4 * pixel" :fill="colour" stroke="#fff" :stroke-width="pixel" />
        <text :x="x + 8 * pixel" :y="y - 8 * pixel" :font-size="12 * pixel" stroke-width="3">{{ tracker.name }}</text>
      </g>
    </g>
  </g>
</template>

<style scoped>
.over {
  stroke: #fff;
}
.off {
  opacity: 0.45;
}
</style>
