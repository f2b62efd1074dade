<script setup lang="ts">
// One region: at its head what it cuts out, to the right its state at every frame.
import { computed, onBeforeUnmount, ref, watch, watchPostEffect } from 'vue'
import { picture } from '../api/client'
import type { Keyed, Look, Region } from '../api/types'
import Swatch from '../parts/Swatch.vue'
import { useOthers } from '../state/others'
import { useSettings } from '../state/settings'
import { useShelf } from '../state/shelf'
import { SIDES, useLooks, type Side } from '../state/looks'
import { isKeyed, keyedFrames, shapesOf, valueAt, withKey, withoutKey } from '../state/numbers'
import { framesOf, sourceAt } from '../state/sources'
import { useStores } from '../state/stores'
import tokens from '../theme.json'
import { drag } from '../viewer/drag'
import { drawLane, drawStrength, strengthAt, strengthOf, surface, type Place } from './draw'
import MotionRow from './MotionRow.vue'

const props = defineProps<{ region: Region; index: number; width: number; place: Place }>()
const emit = defineEmits<{
  scrub: [event: PointerEvent]
  stretch: [event: PointerEvent, motion: string | null]
  carry: [event: PointerEvent, part: string, frame: number]
}>()

const HEIGHT = 32
const { session, selection, lanes, view, commands } = useStores()
const shelf = useShelf()
const looks = useLooks()
const settings = useSettings()
const others = useOthers()
const canvas = ref<HTMLCanvasElement>()
const thumb = ref<HTMLCanvasElement>()

const selected = computed(() => selection.regionId === props.region.id && !selection.motionId)
const lane = computed(() => lanes.of?.regions.find((one) => one.region === props.region.id))
const motions = computed(() => {
  const ridden = new Set(shapesOf(props.region).map((part) => part.attached_to))
  return selection.shot?.motions.filter((motion) => ridden.has(motion.id)) ?? []
})
const chips = computed(() => {
  const label = (kind: string) => shelf.facts?.looks.find((one) => one.kind === kind)?.label ?? kind
  return [
    ...props.region.inside.map((look) => ({ id: look.id, on: look.on, text: label(look.kind), side: 'inside' })),
    ...props.region.outside.map((look) => ({ id: look.id, on: look.on, text: label(look.kind), side: 'outside' })),
  ]
})

// As many of them as the head has room for; the rest is a number that says which.
const ROOM = 20 // letters; a chip's border and gap count as three
const fitting = computed(() => {
  let used = 0
  const over = chips.value.findIndex((chip, i) => (used += chip.text.length + 3) > ROOM && i > 0)
  return over < 0 ? chips.value.length : over
})
const rest = computed(() => chips.value.slice(fitting.value))

watchPostEffect(() => {
  if (!canvas.value || props.width <= 0) return
  const pen = surface(canvas.value, props.width, HEIGHT)
  if (!pen || !lane.value) return
  const colours = tokens[settings.mode]
  const tint = shelf.facts?.region_colours[props.region.colour] ?? '#888'
  drawLane(pen, HEIGHT, lane.value, props.place, {
    tint,
    ground: colours.ground,
    text: colours.text,
    doubt: colours.doubt,
  })
  for (const { strength } of [...props.region.inside, ...props.region.outside])
    if (isKeyed(strength)) {
      const frames = strength.keys.map((key) => key.frame)
      drawStrength(pen, HEIGHT, (frame) => valueAt(strength, frame), frames, props.place, props.width)
    }
})

// The thumbnail follows the playhead, a moment after it has come to rest.
let waiting: ReturnType<typeof setTimeout> | undefined
watch(
  [() => selection.frame, () => session.state?.revision, () => lanes.results, () => view.playing],
  () => {
    clearTimeout(waiting)
    if (!view.playing) waiting = setTimeout(refresh, 180)
  },
  { immediate: true },
)
onBeforeUnmount(() => clearTimeout(waiting))

async function refresh() {
  if (!session.id) return
  try {
    const wish = {
      frame: selection.frame,
      width: 480,
      height: 270,
      view: 'chequer',
      region: props.region.id,
      close: true,
    }
    const bitmap = await picture(session.id, wish)
    const surfaceOf = thumb.value
    if (!surfaceOf) return
    surfaceOf.width = bitmap.width
    surfaceOf.height = bitmap.height
    surfaceOf.getContext('2d')?.drawImage(bitmap, 0, 0)
    bitmap.close()
  } catch {
    // The region has just been deleted, or the server is away; both are said elsewhere.
  }
}

function toggle() {
  void commands.editRegion(
    props.region.on ? `Switch ${props.region.name} off` : `Switch ${props.region.name} on`,
    (region) => {
      region.on = !region.on
    },
    props.region.id,
  )
}

const GRIP = 5 // screen pixels around a tick or a key within which it is taken

interface StrengthKey {
  side: Side
  look: Look
  frame: number
}

/** The key of a strength under the pointer. */
function strengthKeyAt(event: PointerEvent): StrengthKey | null {
  const box = canvas.value?.getBoundingClientRect()
  if (!box) return null
  for (const side of SIDES)
    for (const look of props.region[side])
      for (const { frame, value } of isKeyed(look.strength) ? look.strength.keys : []) {
        const x = box.left + (props.place(frame) + props.place(frame + 1)) / 2
        const y = box.top + strengthAt(value, HEIGHT)
        if (Math.abs(x - event.clientX) <= GRIP && Math.abs(y - event.clientY) <= GRIP) return { side, look, frame }
      }
  return null
}

/** Drag it along the lane to another frame, up and down to another strength; with Alt a copy of it. */
function carryStrength(event: PointerEvent, { side, look, frame }: StrengthKey) {
  const box = canvas.value!.getBoundingClientRect()
  const was = valueAt(look.strength, frame)
  const sources = lanes.of?.sources ?? []
  let to = { frame, value: was }
  const set = (meant: boolean) =>
    looks.change(
      side,
      look,
      'Move strength',
      (one) => {
        const kept = event.altKey ? one.strength : withoutKey(one.strength as Keyed, frame)
        one.strength = withKey(kept, to.frame, to.value)
      },
      meant,
    )
  drag(
    event,
    (now) => {
      const frames = framesOf(sources)
      const index = Math.floor(((now.clientX - box.left) / Math.max(props.width, 1)) * frames)
      // Up and down counts once it has left the key, so that moving it in time keeps its strength.
      const risen = Math.abs(now.clientY - event.clientY) > GRIP
      const value = risen ? Math.round(100 * strengthOf(now.clientY - box.top, HEIGHT)) / 100 : was
      to = { frame: sourceAt(sources, Math.min(Math.max(index, 0), frames - 1)) ?? frame, value }
      set(false)
    },
    (moved) => (moved ? set(true) : selection.go(lanes.sequenceFrame(frame))),
  )
}

/** The keyframe under the pointer: of the selected shape first. */
function tickAt(event: PointerEvent): { part: string; frame: number } | null {
  const x = event.clientX - (canvas.value?.getBoundingClientRect().left ?? 0)
  const mine = selected.value ? selection.shape?.id : undefined
  const parts = shapesOf(props.region).sort((a, b) => Number(b.id === mine) - Number(a.id === mine))
  for (const part of parts)
    for (const frame of keyedFrames(part))
      if (Math.abs((props.place(frame) + props.place(frame + 1)) / 2 - x) <= GRIP) return { part: part.id, frame }
  return null
}

function press(event: PointerEvent) {
  if (selection.regionId !== props.region.id || selection.motionId) selection.select(props.region.id)
  const tick = tickAt(event)
  const strength = event.button === 0 && !event.shiftKey ? strengthKeyAt(event) : null
  if (event.shiftKey) emit('stretch', event, null)
  else if (strength) carryStrength(event, strength)
  else if (tick && event.button === 0) emit('carry', event, tick.part, tick.frame)
  else emit('scrub', event)
}
</script>

<template>
  <div class="row" :class="{ selected }" role="group" :aria-label="region.name">
    <div class="head" @click="selection.select(region.id)">
      <canvas ref="thumb" class="thumb" width="128" height="72" aria-hidden="true"></canvas>
      <button
        class="name"
        type="button"
        :aria-pressed="selected"
        :title="`${region.name} (${index + 1})`"
        @click="selection.select(region.id)"
      >
        <span class="fade">{{ region.name }}</span>
        <Swatch :colour="region.colour" />
      </button>
      <span
        v-if="others.regions.has(region.id)"
        class="elsewhere"
        title="Selected in another window"
        role="img"
        aria-label="selected in another window"
      ></span>
      <button
        class="plainbutton eye"
        type="button"
        :aria-pressed="region.on"
        :aria-label="`${region.name} is ${region.on ? 'on' : 'off'}`"
        :title="region.on ? 'Switch off (E)' : 'Switch on (E)'"
        @click.stop="toggle"
      >
        <svg viewBox="0 0 16 10" width="16" height="10" aria-hidden="true">
          <path d="M1 5q7-8 14 0q-7 8-14 0z" fill="none" stroke="currentColor" stroke-width="1.4" />
          <circle v-if="region.on" cx="8" cy="5" r="2" fill="currentColor" />
          <path v-else d="M3 9L13 1" stroke="currentColor" stroke-width="1.6" />
        </svg>
      </button>
      <span class="chips">
        <span
          v-for="chip in chips.slice(0, fitting)"
          :key="chip.id"
          class="chip"
          :class="{ off: !chip.on }"
          :title="`${chip.text}, ${chip.side}`"
          >{{ chip.text }}</span
        >
        <span v-if="rest.length" class="chip" :title="rest.map((chip) => `${chip.text}, ${chip.side}`).join('; ')"
          >+{{ rest.length }}</span
        >
        <span v-if="!chips.length" class="soft">no look yet</span>
      </span>
    </div>
    <div class="lane" data-testid="lane" @pointerdown="press">
      <canvas ref="canvas" :style="{ width: `${width}px`, height: `${HEIGHT}px` }"></canvas>
    </div>
    <MotionRow
      v-for="motion in motions"
      :key="motion.id"
      :motion="motion"
      :place="place"
      @stretch="(event) => emit('stretch', event, motion.id)"
    />
  </div>
</template>

<style scoped>
.elsewhere {
  flex: none;
  width: 9px;
  height: 7px;
  border: 1.5px solid var(--soft);
  border-radius: 1px;
}
.row {
  display: contents;
}
.head {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
  padding: 0 6px 0 4px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
  border-left: 3px solid transparent;
  cursor: default;
}
.selected .head {
  border-left-color: var(--accent);
  background: var(--raised);
}
.thumb {
  flex: none;
  width: 46px;
  height: 26px;
  border-radius: 3px;
  background: var(--field);
}
.name {
  all: unset;
  display: grid;
  gap: 1px;
  flex: 1 1 0;
  min-width: 56px;
  cursor: pointer;
  line-height: 1.25;
}
.name:focus-visible {
  outline: 2px solid var(--accent);
}
.eye[aria-pressed='true'] {
  background: none;
  box-shadow: none;
}
.chips {
  display: flex;
  gap: 4px;
  flex: 0 1 auto;
  max-width: 164px;
  min-width: 0;
  font-size: 12px;
  white-space: nowrap;
}
.chip {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  padding: 0 5px;
  border: 1px solid var(--control);
  border-radius: 8px;
}
.chip.off {
  color: var(--soft);
  text-decoration: line-through;
}
.lane {
  position: relative;
  border-bottom: 1px solid var(--line);
  cursor: col-resize;
  touch-action: none;
}
.lane canvas {
  display: block;
}
</style>
