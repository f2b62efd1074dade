<script setup lang="ts">
// A pointer on the picture that the keys move. It presses, drags and lets go as a hand does, so that whatever can be
// drawn or taken there can be without one.
import { computed, ref } from 'vue'
import { ARROWS } from '../parts/keys'
import { grouped, useActions } from '../state/actions'
import type { Point } from './mapping'

const props = defineProps<{ stage: HTMLElement | undefined; width: number; height: number }>()
const STEPS = { plain: 8, wide: 40, fine: 1 } // screen pixels

const at = ref<Point | null>(null) // on the stage; none while it is put away
const pressed = ref<Point | null>(null) // where it was pressed, until it is let go
let clicked: Point | null = null // where the last click was
const there = computed(() => at.value !== null)
const says = computed(() => {
  if (!at.value) return ''
  const place = `${Math.round(at.value.x)}, ${Math.round(at.value.y)}`
  return pressed.value ? `Pressed at ${place}` : `Pointer at ${place}`
})

const same = (one: Point | null, other: Point | null) => !!one && !!other && one.x === other.x && one.y === other.y

/** What lies under it is told as of a pointer. */
function tell(type: string, event?: KeyboardEvent) {
  if (!at.value || !props.stage) return
  const box = props.stage.getBoundingClientRect()
  const [clientX, clientY] = [box.left + at.value.x, box.top + at.value.y]
  const under = document.elementFromPoint(clientX, clientY)
  const target = under && props.stage.contains(under) ? under : props.stage
  const held = { altKey: event?.altKey ?? false, shiftKey: event?.shiftKey ?? false }
  const buttons = type === 'pointerdown' || pressed.value ? 1 : 0
  const init = { clientX, clientY, button: 0, buttons, bubbles: true, cancelable: true, ...held }
  target.dispatchEvent(type.startsWith('pointer') ? new PointerEvent(type, init) : new MouseEvent(type, init))
}

function show() {
  if (at.value) return away()
  // Enter is the pointer's while it is there, not that of a button that has the focus.
  if (document.activeElement instanceof HTMLElement) document.activeElement.blur()
  at.value = { x: Math.round(props.width / 2), y: Math.round(props.height / 2) }
  tell('pointermove')
}

function away() {
  if (pressed.value) letGo()
  at.value = null
}

function move(event?: KeyboardEvent) {
  if (!event || !at.value) return
  const by = event.shiftKey ? STEPS.wide : event.altKey ? STEPS.fine : STEPS.plain
  const [dx, dy] = ARROWS[event.key]
  at.value = {
    x: Math.min(Math.max(at.value.x + by * dx, 0), props.width - 1),
    y: Math.min(Math.max(at.value.y + by * dy, 0), props.height - 1),
  }
  tell('pointermove', event)
}

function press(event?: KeyboardEvent) {
  if (pressed.value) return letGo(event)
  tell('pointerdown', event)
  pressed.value = at.value
}

function letGo(event?: KeyboardEvent) {
  const still = same(pressed.value, at.value)
  tell('pointerup', event)
  pressed.value = null
  if (!still) return void (clicked = null)
  tell('click', event)
  if (same(clicked, at.value)) tell('dblclick', event)
  clicked = same(clicked, at.value) ? null : at.value
}

useActions().offer(() =>
  grouped('Change', [
    { says: 'A pointer on the picture, moved by arrow keys', keys: ['Z'], does: show },
    {
      says: 'The pointer: move it; with Shift far, with Alt finely',
      keys: Object.keys(ARROWS).flatMap((one) => [one, `Shift+${one}`, `Alt+${one}`]),
      shown: 'arrows',
      byKey: true,
      can: () => there.value,
      does: move,
    },
    {
      says: 'The pointer: press, let go; with Alt the other way round',
      keys: ['Enter', 'Alt+Enter', 'Shift+Enter'],
      shown: 'Enter',
      byKey: true,
      can: () => there.value,
      does: press,
    },
    { says: 'Put the pointer away', keys: ['Escape'], shown: '', byKey: true, can: () => there.value, does: away },
  ]),
)
</script>

<template>
  <svg
    v-if="at"
    class="pointer"
    :class="{ pressed }"
    width="33"
    height="33"
    viewBox="-16.5 -16.5 33 33"
    aria-hidden="true"
    :style="{ left: `${at.x - 16.5}px`, top: `${at.y - 16.5}px` }"
  >
    <path d="M-16 0h11M5 0h11M0 -16v11M0 5v11" class="under" />
    <path d="M-16 0h11M5 0h11M0 -16v11M0 5v11" />
    <circle r="4" />
  </svg>
  <span class="sr" role="status">{{ says }}</span>
</template>

<style scoped>
.pointer {
  position: absolute;
  fill: none;
  stroke: #fff;
  stroke-width: 1.5;
  pointer-events: none;
}
.pointer .under {
  stroke: #000;
  stroke-opacity: 0.75;
  stroke-width: 4;
}
.pointer circle {
  stroke: #000;
}
.pointer.pressed circle {
  fill: var(--accent);
}
</style>
