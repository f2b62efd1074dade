<script setup lang="ts">
// Where the chosen item of the layers lies: a mark in its middle to drag, one beside it to size and turn it.
import { computed } from 'vue'
import type { Item, Placed } from '../api/types'
import { valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import { drag } from './drag'

const props = defineProps<{ left: number; top: number; scale: number; item: Item }>()
const { session, selection, arranging } = useStores()
const ARM = 90 // screen pixels from the middle to the mark that sizes

const at = computed(() => selection.frame - props.item.start)
const now = (name: keyof Placed) => valueAt(props.item.place[name], at.value)
const middle = computed(() => ({
  x: props.left + ((session.document?.width ?? 0) / 2 + now('x')) * props.scale,
  y: props.top + ((session.document?.height ?? 0) / 2 + now('y')) * props.scale,
}))
const arm = computed(() => {
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
  const start = { x: now('x'), y: now('y') }
  let to = start
  drag(
    event,
    (moved) => {
      to = {
        x: Math.round(start.x + (moved.clientX - event.clientX) / props.scale),
        y: Math.round(start.y + (moved.clientY - event.clientY) / props.scale),
      }
      put('Move', to, false)
    },
    (moved) => moved && put('Move', to, true),
  )
}

/** Farther from the middle is larger, around it is turned; with Shift only the size changes. */
function size(event: PointerEvent) {
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
  <g>
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
