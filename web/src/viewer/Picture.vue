<script setup lang="ts">
// The picture, as an export writes it but for size; over it the shapes, under it one slim bar.
import { useElementSize, useEventListener } from '@vueuse/core'
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue'
import { api, content, picture } from '../api/client'
import type { PictureRequest, PixelValue } from '../api/types'
import { useAround } from '../state/around'
import { isShape } from '../state/numbers'
import { say } from '../state/say'
import { useStores } from '../state/stores'
import KeyPointer from './KeyPointer.vue'
import { Latest } from './latest'
import LookAround from './LookAround.vue'
import MissingClips from './MissingClips.vue'
import Overlay from './Overlay.vue'
import { Player } from './player'
import ViewBar from './ViewBar.vue'

const { session, selection, lanes, view } = useStores()
const around = useAround()
const stage = ref<HTMLElement>()
const canvas = ref<HTMLCanvasElement>()
const { width, height } = useElementSize(stage)
const zoom = ref(1) // of the size that fits
const pan = reactive({ x: 0, y: 0 })
const problem = ref<string | null>(null)
const loaded = ref(false)
const busy = ref(false) // a newer picture is on its way
const shown = ref<number | null>(null) // the revision that is seen
const seen = ref<number | null>(null) // the frame that is seen
// Another frame is seen than the one that the counter tells: nothing is taken on it.
const stale = computed(() => session.frames > 0 && !view.playing && seen.value !== selection.frame)
const pace = ref('')
let player: Player | null = null

const piece = computed(() => around.piece)
const fit = computed(() => Math.min(width.value / piece.value.width, height.value / piece.value.height) || 0.5)
const scale = computed(() => fit.value * zoom.value)
const left = computed(() => (width.value - piece.value.width * scale.value) / 2 + pan.x)
const top = computed(() => (height.value - piece.value.height * scale.value) / 2 + pan.y)

// Only as many pixels as the screen shows, in steps, so that zooming does not ask for every size.
const size = computed(() => {
  const shown = scale.value * window.devicePixelRatio
  const share = shown <= 0.5 ? 0.5 : shown <= 0.75 ? 0.75 : 1
  const most = Math.min(1, 3840 / piece.value.width, 2160 / piece.value.height)
  const side = (pixels: number) => Math.max(16, Math.round((pixels * Math.min(share, most)) / 2) * 2)
  return { width: side(piece.value.width), height: side(piece.value.height) }
})

// Shapes have outlines of their own; those of other parts are drawn into the picture.
const computedParts = computed(() => selection.region?.parts.some((one) => !isShape(one)) ?? false)

const wanted = computed<PictureRequest>(() => ({
  frame: selection.frame,
  ...size.value,
  // A matte lies on one picture, not on two that are half as large.
  view: view.aside || (view.matte === 'outline' && !computedParts.value) ? 'picture' : view.matte,
  region: selection.regionId,
  before: view.before,
  aside: view.aside,
  plain: view.plain,
  close: false,
  around: around.request,
  trial: session.trial,
}))

watch(
  () => session.id,
  () => {
    loaded.value = false
    seen.value = null
  },
)

const emit = defineEmits<{ wanted: [wish: PictureRequest] }>()
watch(wanted, (wish) => emit('wanted', wish), { immediate: true })

// The value under the pointer, while it is asked for.
const value = ref<PixelValue | null>(null)
const valueAt = new Latest<{ x: number; y: number }>(async ({ x, y }) => {
  if (!session.id) return
  try {
    const body = { picture: wanted.value, x, y }
    value.value = (await content(
      api.POST('/api/projects/{project}/value', { params: { path: { project: session.id } }, body }),
    )) as PixelValue
  } catch {
    value.value = null
  }
})

function read(event: PointerEvent) {
  if (!view.reading || view.playing) return
  const box = canvas.value!.getBoundingClientRect()
  const [x, y] = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height]
  if (x >= 0 && x < 1 && y >= 0 && y < 1) valueAt.want({ x, y })
  else value.value = null
}

// A kept still lies over the left part, up to a divider of its own.
const wipe = ref(0.5)
const kept = ref<HTMLCanvasElement>()
watch(
  [() => view.still, kept],
  () => {
    const bitmap = view.still?.bitmap
    if (!bitmap || !kept.value) return
    Object.assign(kept.value, { width: bitmap.width, height: bitmap.height })
    kept.value.getContext('2d')?.drawImage(bitmap, 0, 0)
  },
  { flush: 'post' },
)

async function keepStill() {
  if (!canvas.value) return
  const label = `${selection.shot?.name ?? 'Film'}, clip frame ${lanes.sourceFrame}`
  view.stills = [...view.stills, { bitmap: await createImageBitmap(canvas.value), label }].slice(-8)
  say().message.info('This picture is kept. Choose it under Compare, on any frame.')
}

const still = new Latest<PictureRequest>(async (wish) => {
  if (!session.id || view.playing) return
  const revision = session.state?.revision
  try {
    show(await picture(session.id, wish), wish.frame)
    shown.value = revision ?? null
    problem.value = null
  } catch (error) {
    problem.value = (error as Error).message
  }
  if (wish === wanted.value) busy.value = false
})

function show(bitmap: ImageBitmap, frame: number) {
  const surface = canvas.value
  if (!surface) return
  if (surface.width !== bitmap.width || surface.height !== bitmap.height) {
    surface.width = bitmap.width
    surface.height = bitmap.height
  }
  surface.getContext('2d')?.drawImage(bitmap, 0, 0)
  bitmap.close()
  loaded.value = true
  seen.value = frame
}

watch(
  [wanted, () => session.state?.revision, () => lanes.results, () => width.value > 0],
  () => {
    if (!session.state || !session.frames || width.value <= 0 || view.playing) return
    busy.value = true
    still.want(wanted.value)
  },
  { immediate: true },
)

function play() {
  if (!session.id || view.playing || !session.frames) return
  if (selection.frame >= session.frames - 1) selection.go(0)
  view.playing = true
  pace.value = ''
  player = new Player(session.id, { ...wanted.value, trial: null }, session.frames, session.rate, {
    frame(frame, bitmap) {
      selection.go(frame)
      show(bitmap, frame)
      if (player?.left) pace.value = `${player.left} left out`
    },
    end(sentence) {
      player = null
      view.playing = false
      if (sentence) say().message.error(sentence)
      still.want(wanted.value)
    },
  })
}

function toggle() {
  if (view.playing) player?.stop()
  else play()
}
onBeforeUnmount(() => player?.stop())

function zoomTo(next: number, at?: { x: number; y: number }) {
  const now = Math.min(Math.max(next, 0.25), 8)
  const focus = at ?? { x: width.value / 2, y: height.value / 2 }
  const before = { x: (focus.x - left.value) / scale.value, y: (focus.y - top.value) / scale.value }
  zoom.value = now
  pan.x += focus.x - (left.value + before.x * scale.value)
  pan.y += focus.y - (top.value + before.y * scale.value)
}

function fitIn() {
  zoom.value = 1
  pan.x = pan.y = 0
}

useEventListener(
  stage,
  'wheel',
  (event: WheelEvent) => {
    event.preventDefault()
    if (around.looking) return around.zoom(1.0015 ** -event.deltaY)
    const box = stage.value!.getBoundingClientRect()
    zoomTo(zoom.value * 1.0015 ** -event.deltaY, { x: event.clientX - box.left, y: event.clientY - box.top })
  },
  { passive: false },
)

/** What is drawn or moved must lie on the frame that is seen. */
function refuse(event: PointerEvent) {
  if (!stale.value || event.button !== 0) return
  event.stopPropagation()
  event.preventDefault()
  say().message.info(`Frame ${selection.frame} of the film is on its way. Press again when it is there.`)
}

/** Drag with the middle button, or beside everything that can be grabbed, to move the view, or to look elsewhere. */
function panBy(event: PointerEvent) {
  if (event.button > 1) return
  let last = { x: event.clientX, y: event.clientY }
  const move = (now: PointerEvent) => {
    const [dx, dy] = [now.clientX - last.x, now.clientY - last.y]
    last = { x: now.clientX, y: now.clientY }
    if (around.looking) return around.turn(dx / scale.value, dy / scale.value)
    pan.x += dx
    pan.y += dy
  }
  window.addEventListener('pointermove', move)
  window.addEventListener('pointerup', () => window.removeEventListener('pointermove', move), { once: true })
}

const divided = computed(() =>
  view.still ? wipe.value : view.before > 0 && view.before < 1 && !view.aside ? view.before : null,
)

function divide(to: number) {
  const share = Math.min(Math.max(to, 0.01), 0.99)
  if (view.still) wipe.value = share
  else view.before = share
}

function dragDivider(event: PointerEvent) {
  const move = (now: PointerEvent) => {
    const box = canvas.value!.getBoundingClientRect()
    divide((now.clientX - box.left) / box.width)
  }
  event.preventDefault()
  event.stopPropagation()
  window.addEventListener('pointermove', move)
  window.addEventListener('pointerup', () => window.removeEventListener('pointermove', move), { once: true })
}

function dividerKey(event: KeyboardEvent) {
  if (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight') return
  event.preventDefault()
  event.stopPropagation()
  divide((divided.value ?? 0.5) + (event.key === 'ArrowLeft' ? -0.02 : 0.02))
}

const overlay = ref<InstanceType<typeof Overlay>>()
defineExpose({
  finish: () => overlay.value?.finish(),
  back: () => overlay.value?.back(),
  toggle,
  keep: keepStill,
  zoomIn: () => (around.looking ? around.zoom(1.25) : zoomTo(zoom.value * 1.25)),
  zoomOut: () => (around.looking ? around.zoom(1 / 1.25) : zoomTo(zoom.value / 1.25)),
  fitIn,
})
</script>

<template>
  <section class="picture" aria-label="Picture">
    <div
      ref="stage"
      class="stage"
      data-testid="stage"
      @pointerdown.capture="refuse"
      @pointermove="read"
      @pointerleave="value = null"
    >
      <canvas
        ref="canvas"
        class="frame"
        :class="{ stale }"
        role="img"
        :aria-label="`Frame ${seen ?? selection.frame}`"
        :aria-busy="busy || stale"
        :data-frame="seen"
        :data-stale="stale"
        :data-revision="shown"
        :style="{
          left: `${left}px`,
          top: `${top}px`,
          width: `${piece.width * scale}px`,
          height: `${piece.height * scale}px`,
        }"
      ></canvas>
      <MissingClips />
      <p v-if="!session.frames && session.state && !session.state.missing?.length" class="note">
        This project has no shot yet. Add a clip in the lanes below.
      </p>
      <p v-else-if="problem" class="note bad" role="alert">{{ problem }}</p>
      <p v-else-if="!loaded" class="note soft">Loading …</p>
      <canvas
        v-if="view.still"
        ref="kept"
        class="frame"
        role="img"
        :aria-label="`Kept: ${view.still.label}`"
        :style="{
          left: `${left}px`,
          top: `${top}px`,
          width: `${piece.width * scale}px`,
          height: `${piece.height * scale}px`,
          clipPath: `inset(0 ${(1 - wipe) * 100}% 0 0)`,
        }"
      ></canvas>
      <Overlay
        v-if="!view.aside"
        ref="overlay"
        :left="left"
        :top="top"
        :scale="scale"
        :width="width"
        :height="height"
        @pan="panBy"
      />
      <div
        v-if="divided !== null"
        class="divider"
        role="slider"
        tabindex="0"
        :aria-label="view.still ? 'Divider between the kept picture and this one' : 'Divider between before and after'"
        aria-valuemin="0"
        aria-valuemax="100"
        :aria-valuenow="Math.round(divided * 100)"
        :style="{ left: `${left + piece.width * scale * divided}px` }"
        @pointerdown="dragDivider"
        @keydown="dividerKey"
      >
        <span class="side right">{{ view.still ? 'kept' : 'before' }}</span><span class="side">{{
          view.still ? 'now' : 'after'
        }}</span>
      </div>
      <LookAround />
      <KeyPointer :stage="stage" :width="width" :height="height" />
      <span v-if="view.before === 1" class="badge">before</span>
      <span v-if="stale && loaded && !problem" class="badge coming" role="status"
        >frame {{ selection.frame }} of the film is on its way</span
      >
      <output v-if="view.reading && value" class="value number" aria-label="Value under the pointer">
        <i :style="{ background: `rgb(${value.rgb8.join(' ')})` }"></i>
        <span>R {{ value.rgb8[0] }} G {{ value.rgb8[1] }} B {{ value.rgb8[2] }}</span>
        <span class="dim">10 bit {{ value.rgb10.join(' ') }}</span>
        <span>luma {{ value.luma }} %</span>
        <span class="dim">hue {{ Math.round(value.hue) }}° · {{ Math.round(value.saturation) }} %</span>
      </output>
    </div>
    <ViewBar
      :zoom="scale"
      :pace="pace"
      @toggle="toggle"
      @keep="keepStill"
      @fit="fitIn"
      @zoom="(to) => zoomTo(to / fit)"
    />
  </section>
</template>

<style scoped>
.picture {
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}
.stage {
  position: relative;
  flex: 1;
  min-height: 0;
  overflow: hidden;
  background: var(--surround);
  touch-action: none;
}
.frame {
  position: absolute;
}
.frame.stale {
  opacity: 0.45;
  /* A picture that comes at once shall not flicker. */
  transition: opacity 0.05s 0.12s;
}
.note {
  position: absolute;
  inset: 0;
  display: grid;
  place-content: center;
  text-align: center;
  padding: 24px;
}
.divider {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 12px;
  margin-left: -6px;
  cursor: ew-resize;
  display: flex;
  align-items: flex-end;
}
.divider::before {
  content: '';
  position: absolute;
  left: 5px;
  top: 0;
  bottom: 0;
  width: 2px;
  background: #fff;
  box-shadow: 0 0 0 1px #000a;
}
.side {
  position: absolute;
  bottom: 8px;
  left: 14px;
  padding: 0 6px;
  border-radius: 4px;
  background: #000b;
  color: #fff;
  pointer-events: none;
}
.side.right {
  left: auto;
  right: 14px;
}
.value {
  position: absolute;
  left: 12px;
  top: 8px;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 2px 8px;
  border-radius: 4px;
  background: #000c;
  color: #fff;
  pointer-events: none;
}
.value i {
  width: 14px;
  height: 14px;
  border: 1px solid #fff8;
}
.value .dim {
  color: #cfcfcf;
}
.badge.coming {
  left: auto;
  right: 12px;
  animation: come 0.05s 0.12s backwards;
}
@keyframes come {
  from {
    opacity: 0;
  }
}
.badge {
  position: absolute;
  left: 12px;
  bottom: 8px;
  padding: 0 6px;
  border-radius: 4px;
  background: #000b;
  color: #fff;
}
</style>
