<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import Lanes from '../lanes/Lanes.vue'
import LayersView from '../lanes/LayersView.vue'
import Card from '../panels/Card.vue'
import Missing from '../parts/Missing.vue'
import { isTyping } from '../parts/keys'
import type { Kind, Part, PictureRequest } from '../api/types'
import ItemCard from '../panels/ItemCard.vue'
import MotionCard from '../panels/MotionCard.vue'
import Recipes from '../panels/Recipes.vue'
import { MATTE_VIEWS, useBench, type Way } from '../state/bench'
import { useClip } from '../state/clip'
import { useCutting } from '../state/cutting'
import { useFound } from '../state/found'
import { keyedFrames } from '../state/numbers'
import { apply, carry, inverse, matrixOf } from '../viewer/geometry'
import { sharp, smooth } from '../viewer/PathPoints.vue'
import Picture from '../viewer/Picture.vue'
import Scopes from '../viewer/Scopes.vue'

const route = useRoute()
const bench = useBench()
const clip = useClip()
const cutting = useCutting()
const found = useFound()
const picture = ref<InstanceType<typeof Picture>>()
const wanted = ref<PictureRequest | null>(null)

onMounted(() => bench.open(String(route.params.id)))
watch(
  () => route.params.id,
  (id) => typeof id === 'string' && void bench.open(id),
)

// The first region of a shot is at hand when the shot is reached.
watch(
  () => bench.shot?.id,
  () => {
    bench.tool = null
    if (!bench.region) bench.select(bench.shot?.regions[0]?.id ?? null)
  },
)

const NUDGE: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}

/** Move the shape, or the chosen points of a path, by pixels of the clip. */
function nudge(event: KeyboardEvent) {
  const part = bench.part
  if (!part) return
  const by = event.shiftKey ? 10 : 1
  const [dx, dy] = NUDGE[event.key].map((step) => step * by)
  const back = inverse(bench.carrierOf(part.rides_on))
  const pose = bench.poseOf(part)
  if (bench.chosen.length) {
    const own = matrixOf(pose)
    const [zero, moved] = [apply(inverse(own), pose), apply(inverse(own), { x: pose.x + dx, y: pose.y + dy })]
    const points = (bench.pointsOf(part) ?? []).map((point, i) =>
      bench.chosen.includes(i) ? { ...point, x: point.x + moved.x - zero.x, y: point.y + moved.y - zero.y } : point,
    )
    bench.reshape(part, points)
    return
  }
  const seen = carry(pose, inverse(back))
  bench.place(part, carry({ ...seen, x: seen.x + dx, y: seen.y + dy }, back), 'Move shape')
}

function drawInTheMiddle() {
  const tool = bench.tool
  const size = bench.medium ?? bench.document
  if (!tool || !size?.width || !size.height) return
  if (tool.draw === 'path') return picture.value?.finish()
  if (!('into' in tool) || tool.draw === 'stroke' || tool.draw === 'pick') return
  const side = Math.min(size.width, size.height)
  const pose = { x: size.width / 2, y: size.height / 2, rx: side / 6, ry: side / 5, rotation: 0 }
  void bench.addShape({ kind: tool.draw, ...pose } as unknown as Omit<Part, 'id'>, tool.into)
}

function draw(kind: Kind) {
  if (bench.shot) bench.tool = bench.tool?.draw === kind ? null : { draw: kind, into: null }
}

/** Follow what is selected, or carry it where it is a cut-out. */
function onwards(way: Way) {
  if (bench.motionId) bench.follow({ motion: bench.motionId }, way)
  else if (bench.cutOut || cutting.answering) cutting.carry(way)
  else if (found.part) found.search()
  else if (bench.part) bench.follow({ part: bench.part.id }, way)
}

function bend(change: typeof sharp) {
  if (bench.part?.kind === 'path' && bench.chosen.length)
    bench.reshape(bench.part, change(bench.pointsOf(bench.part) ?? [], bench.chosen))
}

/** Take a keyframe in hand, then copy it to another frame or move it there. */
function key(event: KeyboardEvent) {
  const part = bench.part
  if (!part) return
  const [from, to] = [bench.keyInHand, bench.sourceFrame]
  if (event.shiftKey || event.altKey) {
    if (from === null || from === to) return
    void bench.change((shot) => ({ do: 'move keys', shot, part: part.id, frame: from, to, copied: event.shiftKey }))
    if (event.altKey) bench.keyInHand = null
    return
  }
  if (keyedFrames(part).includes(to)) bench.keyInHand = to
  else bench.place(part, bench.poseOf(part), 'Set by hand')
}

const actions: Record<string, (event: KeyboardEvent) => void> = {
  ' ': () => picture.value?.toggle(),
  Home: () => bench.go(0),
  End: () => bench.go(bench.frames - 1),
  n: (event) => bench.goDoubt(event.shiftKey ? -1 : 1),
  m: () => {
    bench.view = MATTE_VIEWS[(MATTE_VIEWS.indexOf(bench.view) + 1) % MATTE_VIEWS.length]
  },
  b: (event) => {
    if (event.shiftKey) bench.before = bench.before > 0 && bench.before < 1 ? 0 : 0.5
    else bench.before = bench.before === 1 ? 0 : 1
  },
  q: () => found.begin('faces', null, true),
  s: (event) => cutting.take(!event.shiftKey, bench.cutOut ? null : { into: null }),
  r: () => draw('ellipse'),
  t: () => draw('rectangle'),
  p: () => draw('path'),
  h: () => draw('horizon'),
  a: () => {
    if (bench.shot) bench.tool = { draw: 'area' }
  },
  d: () => {
    if (bench.shot) bench.tool = { draw: 'tracker', motion: bench.motion?.trackers.length ? bench.motionId : null }
  },
  l: () => {
    bench.grid = !bench.grid
  },
  c: () => bend(sharp),
  v: () => bend(smooth),
  k: (event) => key(event),
  j: () => (bench.below = bench.below === 'layers' ? 'lanes' : 'layers'),
  y: () => found.begin('sky', null, false),
  u: () => bench.arrange('split'),
  '[': () => bench.arrange('begin'),
  ']': () => bench.arrange('end'),
  g: () => {
    const part = bench.part
    if (!part?.rides_on) return
    void bench
      .change((shot, frame) => ({ do: 'go on from', shot, part: part.id, frame }))
      .then((well) => well && bench.follow({ part: part.id }, 'both'))
  },
  e: () => {
    const region = bench.region
    if (region)
      void bench.editRegion(region.on ? `Switch ${region.name} off` : `Switch ${region.name} on`, (one) => {
        one.on = !one.on
      })
  },
  f: (event) => {
    onwards(event.shiftKey ? 'forwards' : event.altKey ? 'backwards' : 'both')
  },
  '.': () => onwards('next'),
  ',': () => onwards('previous'),
  x: () => {
    const part = bench.part
    if (part) void bench.change((shot, at) => ({ do: 'clear keys', shot, part: part.id, first: at, last: at }))
  },
  i: () => (bench.reading = !bench.reading),
  o: () => (bench.choosing = true),
  w: () => (bench.below = bench.below === 'scopes' ? 'lanes' : 'scopes'),
  Delete: () => remove(),
  Backspace: () => (bench.tool ? picture.value?.back() : undefined),
  '+': () => picture.value?.zoomIn(),
  '=': () => picture.value?.zoomIn(),
  '-': () => picture.value?.zoomOut(),
  '0': () => picture.value?.fitIn(),
  Enter: () => drawInTheMiddle(),
  Escape: () => {
    if (bench.tool) bench.tool = null
    else if (bench.chosen.length) bench.chosen = []
    else if (bench.below === 'layers') bench.itemId = null
    else if (bench.motionId) bench.motionId = null
    else bench.select(null)
  },
}

/** Chosen points first, else what has its card open: the motion, or the region. */
function remove() {
  const part = bench.part
  if (bench.below === 'layers') {
    if (bench.item) bench.arrange('remove')
  } else if (part?.kind === 'path' && bench.chosen.length) {
    const points = [...bench.chosen]
    bench.chosen = []
    void bench.change((shot) => ({ do: 'remove point', shot, part: part.id, points }))
  } else if (bench.motionId) {
    const motion = bench.motionId
    void bench.change((shot, frame) => ({ do: 'remove motion', shot, motion, frame }))
  } else if (bench.regionId) {
    const region = bench.regionId
    void bench.change((shot) => ({ do: 'remove region', shot, region }))
  }
}

// A button that was clicked gives the keys back, so that Space plays; one reached by keys keeps them.
useEventListener(window, 'click', (event: MouseEvent) => {
  const active = document.activeElement
  if (event.detail > 0 && active instanceof HTMLElement && active.matches('button, a, [role=checkbox], [type=radio]'))
    active.blur()
})

useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (isTyping(event)) return
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
    event.preventDefault()
    bench.step(event.shiftKey ? 'redo' : 'undo')
    return
  }
  if (event.ctrlKey || event.metaKey) {
    if (event.key === 'c' && bench.part && !getSelection()?.toString()) clip.copy(bench.part)
    else if (event.key === 'v') void clip.paste()
    return
  }
  const onButton = event.target instanceof HTMLElement && event.target.closest('button, a, [role=checkbox]')
  if (onButton && (event.key === ' ' || event.key === 'Enter')) return
  if (event.key in NUDGE) {
    event.preventDefault()
    if (event.altKey) nudge(event)
    else if (event.key === 'ArrowLeft' || event.key === 'ArrowRight')
      bench.go(bench.frame + (event.key === 'ArrowLeft' ? -1 : 1) * (event.shiftKey ? 10 : 1))
    return
  }
  if (/^[1-8]$/.test(event.key)) {
    const region = bench.shot?.regions[Number(event.key) - 1]
    if (region) bench.select(region.id)
    return
  }
  // With Alt some layouts type another letter; the key itself tells which one was meant.
  const letter = /^Key[A-Z]$/.test(event.code) ? event.code[3].toLowerCase() : event.key.toLowerCase()
  const action = actions[event.key] ?? actions[letter]
  if (!action) return
  event.preventDefault()
  action(event)
})
</script>

<template>
  <Missing v-if="bench.missing" :sentence="bench.missing" />
  <main v-else class="page bench" :class="{ scoped: bench.below === 'scopes' }">
    <Picture ref="picture" class="view" @wanted="(wish) => (wanted = wish)" />
    <ItemCard v-if="bench.below === 'layers' && bench.item" class="side" />
    <MotionCard v-else-if="bench.motion" class="side" />
    <Card v-else class="side" />
    <Scopes v-if="bench.below === 'scopes' && wanted" class="below" :wanted="wanted" />
    <LayersView v-else-if="bench.below === 'layers'" class="below" />
    <Lanes v-else class="below" />
    <Recipes v-if="bench.choosing" @close="bench.choosing = false" />
  </main>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template: minmax(240px, 1fr) minmax(150px, 192px) / minmax(0, 1fr) 320px;
  grid-template-areas: 'view side' 'below below';
  overflow: hidden;
}
.view {
  grid-area: view;
}
.side {
  grid-area: side;
}
.below {
  grid-area: below;
}
.bench.scoped {
  grid-template-rows: minmax(240px, 1fr) 248px;
}
@media (min-height: 1000px) {
  .bench {
    grid-template-rows: minmax(240px, 1fr) 280px;
  }
}
</style>
