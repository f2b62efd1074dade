<script setup lang="ts">
// Curves, one shown at a time: points are added by a press, dragged, and taken away by a double click.
import { computed, ref, watch } from 'vue'
import { api, content } from '../../api/client'
import type { LookSetting, OutlinePoint } from '../../api/types'
import TickMark, { type Tick } from '../../parts/TickMark.vue'
import { drag } from '../../viewer/drag'
import { Latest } from '../../viewer/latest'

const props = defineProps<{
  settings: LookSetting[]
  points: (setting: LookSetting) => OutlinePoint[]
  tick: (setting: LookSetting) => Tick
}>()
const emit = defineEmits<{
  tick: [setting: LookSetting]
  trying: [setting: LookSetting, points: OutlinePoint[]]
  set: [setting: LookSetting, points: OutlinePoint[]]
}>()

const WIDTH = 280
const HEIGHT = 150
const GAP = 0.02 // least distance of two points
const which = ref(0)
const setting = computed(() => props.settings[which.value] ?? props.settings[0])
const held = ref<OutlinePoint[] | null>(null)
const points = computed(() => held.value ?? props.points(setting.value))
const heights = ref<number[]>([])
const box = ref<SVGSVGElement>()
const chosen = ref<number | null>(null)

// Around the hues the middle is neutral; elsewhere black is below and white above.
const up = (y: number) => (setting.value.around ? (1 - y) / 2 : 1 - y) * HEIGHT
const down = (pixel: number) => (setting.value.around ? 1 - (2 * pixel) / HEIGHT : 1 - pixel / HEIGHT)
const low = computed(() => (setting.value.around ? -1 : 0))

const curve = new Latest<OutlinePoint[]>(async (wish) => {
  const body = { points: wish.map(({ x, y }) => [x, y] as [number, number]), around: setting.value.around }
  try {
    heights.value = await content(api.POST('/api/curve', { body }))
  } catch {
    heights.value = [] // two points above one another, for the moment of a drag
  }
})
watch([points, setting], () => curve.want(points.value), { immediate: true, deep: true })
const path = computed(() =>
  heights.value
    .map((y, i) => `${i ? 'L' : 'M'}${((i / (heights.value.length - 1)) * WIDTH).toFixed(1)} ${up(y).toFixed(1)}`)
    .join(''),
)

function at(event: PointerEvent): OutlinePoint {
  const place = box.value!.getBoundingClientRect()
  const x = ((event.clientX - place.left) / place.width) * WIDTH
  const y = ((event.clientY - place.top) / place.height) * HEIGHT
  return made(Math.min(Math.max(x / WIDTH, 0), 1), Math.min(Math.max(down(y), low.value), 1))
}

const made = (x: number, y: number): OutlinePoint => ({ x, y, before: [0, 0], after: [0, 0] })

/** The points with one of them moved, kept in their order. */
function moved(start: OutlinePoint[], i: number, to: OutlinePoint): OutlinePoint[] {
  const left = i > 0 ? start[i - 1].x + GAP : 0
  const right = i < start.length - 1 ? start[i + 1].x - GAP : 1
  return start.map((point, k) => (k === i ? made(Math.min(Math.max(to.x, left), right), to.y) : point))
}

function take(event: PointerEvent, i: number, start = points.value) {
  event.stopPropagation()
  chosen.value = i
  drag(
    event,
    (now) => {
      held.value = moved(start, i, at(now))
      emit('trying', setting.value, held.value)
    },
    () => {
      if (held.value) emit('set', setting.value, held.value)
      held.value = null
    },
  )
}

function add(event: PointerEvent) {
  const fresh = at(event)
  if (points.value.some((point) => Math.abs(point.x - fresh.x) < GAP)) return
  const more = [...points.value, fresh].sort((a, b) => a.x - b.x)
  held.value = more
  take(event, more.indexOf(fresh), more)
}

function remove(i: number) {
  if (points.value.length > 3)
    emit(
      'set',
      setting.value,
      points.value.filter((_, k) => k !== i),
    )
}

function nudge(event: KeyboardEvent, i: number) {
  const by = event.shiftKey ? 0.1 : 0.01
  const step = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] }[event.key]
  if (event.key === 'Delete') remove(i)
  else if (!step) return
  else {
    const { x, y } = points.value[i]
    emit('set', setting.value, moved(points.value, i, made(x + step[0], Math.min(Math.max(y + step[1], low.value), 1))))
  }
  event.preventDefault()
  event.stopPropagation()
}
</script>

<template>
  <div class="curves">
    <div v-if="settings.length > 1" class="names" role="group" aria-label="Curves">
      <button
        v-for="(one, i) in settings"
        :key="one.name"
        class="plainbutton"
        type="button"
        :aria-pressed="i === which"
        @click="which = i"
      >
        {{ one.label.replace('Hue against ', '') }}
      </button>
      <span class="spring"></span>
      <TickMark class="mark" :label="setting.label" :tick="tick(setting)" @tick="emit('tick', setting)" />
      <button
        class="plainbutton"
        type="button"
        @click="
          emit(
            'set',
            setting,
            (setting.default as [number, number][]).map(([x, y]) => made(x, y)),
          )
        "
      >
        Reset
      </button>
    </div>
    <svg
      ref="box"
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      :class="{ around: setting.around }"
      role="group"
      :aria-label="setting.label"
      @pointerdown="add"
    >
      <defs>
        <linearGradient id="hues">
          <stop
            v-for="i in 7"
            :key="i"
            :offset="(i - 1) / 6"
            :stop-color="`hsl(${(i - 1) * 60} 62% 55%)`"
            stop-opacity="0.5"
          />
        </linearGradient>
      </defs>
      <rect v-if="setting.around" :width="WIDTH" :height="HEIGHT" fill="url(#hues)" />
      <path
        class="grid"
        :d="
          [1, 2, 3]
            .map((i) => `M0 ${(i * HEIGHT) / 4}H${WIDTH}` + (setting.around ? '' : `M${(i * WIDTH) / 4} 0V${HEIGHT}`))
            .join('')
        "
      />
      <path v-if="!setting.around" class="grid" :d="`M0 ${HEIGHT}L${WIDTH} 0`" />
      <path class="halo" :d="path" />
      <path class="line" :class="setting.name" :d="path" />
      <circle
        v-for="(point, i) in points"
        :key="i"
        r="5"
        tabindex="0"
        role="slider"
        :aria-label="`${setting.label}, point ${i + 1}`"
        :aria-valuenow="Math.round(point.y * 100)"
        :aria-valuetext="`${Math.round(point.x * 100)} % across, ${Math.round(point.y * 100)} % up`"
        :cx="point.x * WIDTH"
        :cy="up(point.y)"
        :class="{ chosen: chosen === i }"
        @pointerdown="take($event, i)"
        @dblclick="remove(i)"
        @keydown="nudge($event, i)"
      />
    </svg>
    <p class="soft">Press to add a point, double click to take it away.</p>
  </div>
</template>

<style scoped>
.curves {
  display: grid;
  gap: 4px;
}
.names {
  display: flex;
}
.names .mark {
  margin: 0;
}
.spring {
  flex: 1;
}
svg {
  width: 100%;
  background: #1b1b1b;
  border-radius: 4px;
  touch-action: none;
  cursor: crosshair;
  overflow: visible;
}
.grid {
  stroke: #fff3;
  fill: none;
}
.halo,
.line {
  fill: none;
  stroke: #000b;
  stroke-width: 4;
}
.line {
  stroke: #f0f0f0;
  stroke-width: 1.8;
}
.line.red {
  stroke: #ff7a6b;
}
.line.green {
  stroke: #6fdc7d;
}
.line.blue {
  stroke: #7db2ff;
}
circle {
  fill: #1b1b1b;
  stroke: #fff;
  stroke-width: 1.8;
  cursor: grab;
}
circle.chosen {
  fill: #fff;
}
p {
  font-size: 12px;
}
</style>
