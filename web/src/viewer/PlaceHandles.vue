<script setup lang="ts">
// Where the chosen item of the layers lies: a mark in its middle to drag, one beside it to size and turn it. In a
// spherical film that is one looked around in they lie where the item is seen.
import { computed } from 'vue'
import type { Item, Placed } from '../api/types'
import { useAround } from '../state/around'
import { valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import { drag } from './drag'
import type { Point } from './mapping'

const props = defineProps<{ left: number; top: number; scale: number; item: Item }>()
const { session, selection, arranging } = useStores()
const around = useAround()
const ARM = 90 // screen pixels from the middle to the mark that sizes

const at = computed(() => selection.frame - props.item.start)
const now = (name: keyof Placed) => valueAt(props.item.place[name], at.value)
const film = computed(() => ({ width: session.document?.width ?? 0, height: session.document?.height ?? 0 }))
/** Its middle on the screen; none where that is not seen. */
const middle = computed<Point | null>(() => {
  const place = { x: film.value.width / 2 + now('x'), y: film.value.height / 2 + now('y') }
  const seen = around.looking ? around.fromFilm(place) : place
  return seen && { x: props.left + seen.x * props.scale, y: props.top + seen.y * props.scale }
})
const arm = computed(() => {
  if (!middle.value) return null
  const turn = (now('rotation') * Math.PI) / 180
  return { x: middle.value.x + ARM * Math.cos(turn), y: middle.value.y + ARM * Math.sin(turn) }
})

function put(label: string, values: Partial<Record<keyof Placed, number>>, meant: boolean) {
  const frame = at.value
  arranging.editItem(
    label,
    (one) => {
      for (const [name, value] of Object.entries(values) as [keyof Placed, number][])
        one.place[name] = withValue(one.place[name], frame, value)
    },
    meant,
    props.item.id,
  )
}

function move(event: PointerEvent) {
  const start = middle.value
  if (!start) return
  let to = { x: now('x'), y: now('y') }
  drag(
    event,
    (moved) => {
      const seen = {
        x: (start.x + moved.clientX - event.clientX - props.left) / props.scale,
        y: (start.y + moved.clientY - event.clientY - props.top) / props.scale,
      }
      const place = around.looking ? around.toFilm(seen) : seen
      to = { x: Math.round(place.x - film.value.width / 2), y: Math.round(place.y - film.value.height / 2) }
      put('Move', to, false)
    },
    (moved) => moved && put('Move', to, true),
  )
}

/** Farther from the middle is larger, around it is turned; with Shift only the size changes. */
function size(event: PointerEvent) {
  if (!arm.value || !middle.value) return
  const start = { scale: now('scale'), rotation: now('rotation') }
  const centre = {
    x: event.clientX - (arm.value.x - middle.value.x),
    y: event.clientY - (arm.value.y - middle.value.y),
  }
  let to = start
  drag(
    event,
    (moved) => {
      const [dx, dy] = [moved.clientX - centre.x, moved.clientY - centre.y]
      const rotation = (Math.atan2(dy, dx) * 180) / Math.PI
      to = {
        scale: Math.max(Math.round(start.scale * (Math.hypot(dx, dy) / ARM) * 100) / 100, 0.01),
        rotation: moved.shiftKey ? start.rotation : Math.round(rotation * 2) / 2,
      }
      put('Size', to, false)
    },
    (moved) => moved && put('Size', to, true),
  )
}
</script>

<template>
  <g v-if="middle && arm">
    <line class="lines under" :x1="middle.x" :y1="middle.y" :x2="arm.x" :y2="arm.y" stroke-width="3" />
    <line class="lines" :x1="middle.x" :y1="middle.y" :x2="arm.x" :y2="arm.y" stroke="#fff" stroke-width="1" />
    <circle class="handle" data-handle="place" :cx="middle.x" :cy="middle.y" r="9" @pointerdown="move">
      <title>Drag to move it</title>
    </circle>
    <circle class="handle" data-handle="size" :cx="arm.x" :cy="arm.y" r="6" @pointerdown="size">
      <title>Drag to size and turn it; with Shift only the size</title>
    </circle>
  </g>
</template>
