<script setup lang="ts">
// One region: at its head what it cuts out, to the right its state at every frame.
import { computed, onBeforeUnmount, ref, watch, watchPostEffect } from 'vue'
import { picture } from '../api/client'
import type { Region } from '../api/types'
import Swatch from '../parts/Swatch.vue'
import { useBench } from '../state/bench'
import { useSettings } from '../state/settings'
import { useShelf } from '../state/shelf'
import { timeLeft, useWork } from '../state/work'
import tokens from '../theme.json'
import { drawLane, surface, type Place } from './draw'

const props = defineProps<{ region: Region; index: number; width: number; place: Place }>()
const emit = defineEmits<{ scrub: [event: PointerEvent]; stretch: [event: PointerEvent, region: Region] }>()

const HEIGHT = 32
const bench = useBench()
const shelf = useShelf()
const work = useWork()
const settings = useSettings()
const canvas = ref<HTMLCanvasElement>()
const thumb = ref<HTMLCanvasElement>()

const selected = computed(() => bench.regionId === props.region.id)
const lane = computed(() => bench.lanes?.regions.find((one) => one.region === props.region.id))
const motions = computed(() => {
  const ridden = new Set(props.region.parts.map((part) => part.rides_on))
  return bench.shot?.motions.filter((motion) => ridden.has(motion.id)) ?? []
})
const chips = computed(() => {
  const label = (kind: string) => shelf.facts?.looks.find((one) => one.kind === kind)?.label ?? kind
  return [
    ...props.region.inside.map((look) => ({ id: look.id, on: look.on, text: label(look.kind), side: 'inside' })),
    ...props.region.outside.map((look) => ({ id: look.id, on: look.on, text: label(look.kind), side: 'outside' })),
  ]
})

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
})

/** What a motion has followed, as bars along the lane. */
function bars(motion: string) {
  const known = bench.lanes?.motions.find((one) => one.motion === motion)
  return (known?.followed ?? []).map(([first, last]) => {
    const left = props.place(first)
    return { left, width: Math.max(props.place(last + 1) - left, 1) }
  })
}

// The thumbnail follows the playhead, a moment after it has come to rest.
let waiting: ReturnType<typeof setTimeout> | undefined
watch(
  [() => bench.frame, () => bench.state?.revision, () => bench.results, () => bench.playing],
  () => {
    clearTimeout(waiting)
    if (!bench.playing) waiting = setTimeout(refresh, 180)
  },
  { immediate: true },
)
onBeforeUnmount(() => clearTimeout(waiting))

async function refresh() {
  if (!bench.id) return
  try {
    const wish = { frame: bench.frame, width: 480, height: 270, view: 'chequer', region: props.region.id, close: true }
    const bitmap = await picture(bench.id, wish)
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
  void bench.editRegion(
    props.region.on ? `Switch ${props.region.name} off` : `Switch ${props.region.name} on`,
    (region) => {
      region.on = !region.on
    },
    props.region.id,
  )
}

function press(event: PointerEvent) {
  bench.regionId = props.region.id
  if (event.shiftKey) emit('stretch', event, props.region)
  else emit('scrub', event)
}
</script>

<template>
  <div class="row" :class="{ selected }" role="group" :aria-label="region.name">
    <div class="head" @click="bench.regionId = region.id">
      <canvas ref="thumb" class="thumb" width="128" height="72" aria-hidden="true"></canvas>
      <button
        class="name"
        type="button"
        :aria-pressed="selected"
        :title="`${region.name} (${index + 1})`"
        @click="bench.regionId = region.id"
      >
        <span class="fade">{{ region.name }}</span>
        <Swatch :colour="region.colour" />
      </button>
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
          v-for="chip in chips"
          :key="chip.id"
          class="chip"
          :class="{ off: !chip.on }"
          :title="`${chip.text}, ${chip.side}`"
          >{{ chip.text }}</span
        >
        <span v-if="!chips.length" class="soft">no look yet</span>
      </span>
    </div>
    <div class="lane" data-testid="lane" @pointerdown="press">
      <canvas ref="canvas" :style="{ width: `${width}px`, height: `${HEIGHT}px` }"></canvas>
    </div>
    <template v-for="motion in motions" :key="motion.id">
      <div class="head motion">
        <span class="soft fade" :title="motion.name">follows</span>
        <template v-if="work.on(motion.id)">
          <span class="number soft fade">{{ timeLeft(work.on(motion.id)!) || 'starting' }}</span>
          <button class="plainbutton stop" type="button" @click="work.stop(work.on(motion.id)!.id)">
            <svg viewBox="0 0 10 10" width="9" height="9" aria-hidden="true">
              <path d="M1 1h8v8H1z" fill="currentColor" />
            </svg>
            Stop
          </button>
        </template>
      </div>
      <div
        class="lane motion"
        data-testid="motion"
        title="Drag to follow just a span"
        @pointerdown="emit('stretch', $event, region)"
      >
        <span
          v-for="(bar, place) in bars(motion.id)"
          :key="place"
          class="bar"
          :class="{ front: work.on(motion.id) }"
          :style="{ left: `${bar.left}px`, width: `${bar.width}px` }"
        ></span>
      </div>
    </template>
  </div>
</template>

<style scoped>
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
.motion.head {
  height: 18px;
  padding-left: 58px;
  font-size: 12px;
}
.motion.lane {
  height: 18px;
  cursor: crosshair;
}
.stop {
  height: 16px;
  font-size: 12px;
}
.bar {
  position: absolute;
  top: 7px;
  height: 4px;
  border-radius: 2px;
  background: var(--soft);
}
.bar.front {
  background: linear-gradient(90deg, var(--accent), var(--soft) 24px calc(100% - 24px), var(--accent));
}
</style>
