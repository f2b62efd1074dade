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
import ToolHint from '../panels/ToolHint.vue'
import Recipes from '../panels/Recipes.vue'
import { type Way } from '../state/commands'
import { MATTE_VIEWS } from '../state/view'
import { useClip } from '../state/clip'
import { useCutting } from '../state/cutting'
import { useFound } from '../state/found'
import { keyedFrames } from '../state/numbers'
import { useStores } from '../state/stores'
import { apply, carry, inverse, matrixOf } from '../viewer/geometry'
import { sharp, smooth } from '../viewer/PathPoints.vue'
import Picture from '../viewer/Picture.vue'
import Scopes from '../viewer/Scopes.vue'

const route = useRoute()
const { session, selection, lanes, view, tools, commands, arranging } = useStores()
const clip = useClip()
const cutting = useCutting()
const found = useFound()
const picture = ref<InstanceType<typeof Picture>>()
const wanted = ref<PictureRequest | null>(null)

onMounted(() => session.open(String(route.params.id)))
watch(
  () => route.params.id,
  (id) => typeof id === 'string' && void session.open(id),
)

// The first region of a shot is at hand when the shot is reached.
watch(
  () => selection.shot?.id,
  () => {
    tools.layDown()
    if (!selection.region) selection.select(selection.shot?.regions[0]?.id ?? null)
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
  const part = selection.shape
  if (!part) return
  const by = event.shiftKey ? 10 : 1
  const [dx, dy] = NUDGE[event.key].map((step) => step * by)
  const back = inverse(lanes.carrierOf(part.attached_to))
  const pose = lanes.poseOf(part)
  if (selection.points.length) {
    const own = matrixOf(pose)
    const [zero, moved] = [apply(inverse(own), pose), apply(inverse(own), { x: pose.x + dx, y: pose.y + dy })]
    const points = (lanes.pointsOf(part) ?? []).map((point, i) =>
      selection.points.includes(i) ? { ...point, x: point.x + moved.x - zero.x, y: point.y + moved.y - zero.y } : point,
    )
    commands.reshape(part, points)
    return
  }
  const seen = carry(pose, inverse(back))
  commands.place(part, carry({ ...seen, x: seen.x + dx, y: seen.y + dy }, back), 'Move shape')
}

function drawInTheMiddle() {
  const tool = tools.inHand
  const size = selection.medium ?? session.document
  if (!tool || !size?.width || !size.height) return
  if (tool.draw === 'path') return picture.value?.finish()
  if (!('into' in tool) || tool.draw === 'stroke' || tool.draw === 'pick') return
  const side = Math.min(size.width, size.height)
  const pose = { x: size.width / 2, y: size.height / 2, rx: side / 6, ry: side / 5, rotation: 0 }
  void commands.addShape({ kind: tool.draw, ...pose } as unknown as Omit<Part, 'id'>, tool.into)
}

function draw(kind: Kind) {
  if (selection.shot) tools.toggle({ draw: kind, into: null })
}

/** Follow what is selected, or propagate it where it is a cut-out. */
function onwards(way: Way) {
  if (selection.motionId) commands.follow({ motion: selection.motionId }, way)
  else if (selection.cutOut || cutting.answering) cutting.propagate(way)
  else if (found.part) found.search()
  else if (selection.shape) commands.follow({ part: selection.shape.id }, way)
}

function bend(change: typeof sharp) {
  if (selection.shape?.kind === 'path' && selection.points.length)
    commands.reshape(selection.shape, change(lanes.pointsOf(selection.shape) ?? [], selection.points))
}

/** Take a keyframe in hand, then copy it to another frame or move it there. */
function key(event: KeyboardEvent) {
  const part = selection.shape
  if (!part) return
  const [from, to] = [selection.keyInHand, lanes.sourceFrame]
  if (event.shiftKey || event.altKey) {
    if (from === null || from === to) return
    void commands.change((shot) => ({ do: 'move keys', shot, part: part.id, frame: from, to, copied: event.shiftKey }))
    if (event.altKey) selection.keyInHand = null
    return
  }
  if (keyedFrames(part).includes(to)) selection.keyInHand = to
  else commands.place(part, lanes.poseOf(part), 'Set by hand')
}

const actions: Record<string, (event: KeyboardEvent) => void> = {
  ' ': () => picture.value?.toggle(),
  Home: () => selection.go(0),
  End: () => selection.go(session.frames - 1),
  n: (event) => lanes.goDoubt(event.shiftKey ? -1 : 1),
  m: () => {
    view.matte = MATTE_VIEWS[(MATTE_VIEWS.indexOf(view.matte) + 1) % MATTE_VIEWS.length]
  },
  b: (event) => {
    if (event.shiftKey) view.before = view.before > 0 && view.before < 1 ? 0 : 0.5
    else view.before = view.before === 1 ? 0 : 1
  },
  q: () => found.begin('faces', null, true),
  s: (event) => cutting.take(!event.shiftKey, selection.cutOut ? null : { into: null }),
  r: () => draw('ellipse'),
  t: () => draw('rectangle'),
  p: () => draw('path'),
  h: () => draw('horizon'),
  a: () => {
    if (selection.shot) tools.take({ draw: 'area' })
  },
  d: () => {
    if (selection.shot)
      tools.take({ draw: 'tracker', motion: selection.motion?.trackers.length ? selection.motionId : null })
  },
  l: () => {
    view.grid = !view.grid
  },
  c: () => bend(sharp),
  v: () => bend(smooth),
  k: (event) => key(event),
  j: () => (view.below = view.below === 'layers' ? 'lanes' : 'layers'),
  y: () => found.begin('sky', null, false),
  u: () => arranging.arrange('split'),
  '[': () => arranging.arrange('begin'),
  ']': () => arranging.arrange('end'),
  g: () => {
    const part = selection.shape
    if (!part?.attached_to) return
    void commands
      .change((shot, frame) => ({ do: 'go on from', shot, part: part.id, frame }))
      .then((well) => well && commands.follow({ part: part.id }, 'both'))
  },
  e: () => {
    const region = selection.region
    if (region)
      void commands.editRegion(region.on ? `Switch ${region.name} off` : `Switch ${region.name} on`, (one) => {
        one.on = !one.on
      })
  },
  f: (event) => {
    onwards(event.shiftKey ? 'forwards' : event.altKey ? 'backwards' : 'both')
  },
  '.': () => onwards('next'),
  ',': () => onwards('previous'),
  x: () => {
    const part = selection.shape
    if (part) void commands.change((shot, at) => ({ do: 'clear keys', shot, part: part.id, first: at, last: at }))
  },
  i: () => (view.reading = !view.reading),
  o: () => (view.choosing = true),
  w: () => (view.below = view.below === 'scopes' ? 'lanes' : 'scopes'),
  Delete: () => remove(),
  Backspace: () => (tools.inHand ? picture.value?.back() : undefined),
  '+': () => picture.value?.zoomIn(),
  '=': () => picture.value?.zoomIn(),
  '-': () => picture.value?.zoomOut(),
  '0': () => picture.value?.fitIn(),
  Enter: () => drawInTheMiddle(),
  Escape: () => {
    if (tools.inHand) tools.layDown()
    else if (selection.points.length) selection.points = []
    else if (view.below === 'layers') selection.itemId = null
    else if (selection.motionId) selection.motionId = null
    else selection.select(null)
  },
}

/** Chosen points first, else what has its card open: the motion, or the region. */
function remove() {
  const part = selection.shape
  if (view.below === 'layers') {
    if (selection.item) arranging.arrange('remove')
  } else if (part?.kind === 'path' && selection.points.length) {
    const points = [...selection.points]
    selection.points = []
    void commands.change((shot) => ({ do: 'remove point', shot, part: part.id, points }))
  } else if (selection.motionId) {
    const motion = selection.motionId
    void commands.change((shot, frame) => ({ do: 'remove motion', shot, motion, frame }))
  } else if (selection.regionId) {
    const region = selection.regionId
    void commands.change((shot) => ({ do: 'remove region', shot, region }))
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
    session.step(event.shiftKey ? 'redo' : 'undo')
    return
  }
  if (event.ctrlKey || event.metaKey) {
    if (event.key === 'c' && selection.shape && !getSelection()?.toString()) clip.copy(selection.shape)
    else if (event.key === 'v') void clip.paste()
    return
  }
  const onButton = event.target instanceof HTMLElement && event.target.closest('button, a, [role=checkbox]')
  if (onButton && (event.key === ' ' || event.key === 'Enter')) return
  if (event.key in NUDGE) {
    event.preventDefault()
    if (event.altKey) nudge(event)
    else if (event.key === 'ArrowLeft' || event.key === 'ArrowRight')
      selection.go(selection.frame + (event.key === 'ArrowLeft' ? -1 : 1) * (event.shiftKey ? 10 : 1))
    return
  }
  if (/^[1-8]$/.test(event.key)) {
    const region = selection.shot?.regions[Number(event.key) - 1]
    if (region) selection.select(region.id)
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
  <Missing v-if="session.missing" :sentence="session.missing" />
  <main v-else class="page bench" :class="{ scoped: view.below === 'scopes' }">
    <Picture ref="picture" class="view" @wanted="(wish) => (wanted = wish)" />
    <div class="side">
      <ItemCard v-if="view.below === 'layers' && selection.item" class="rest" />
      <MotionCard v-else-if="selection.motion" class="rest" />
      <Card v-else class="rest" />
      <ToolHint />
    </div>
    <Scopes v-if="view.below === 'scopes' && wanted" class="below" :wanted="wanted" />
    <LayersView v-else-if="view.below === 'layers'" class="below" />
    <Lanes v-else class="below" />
    <Recipes v-if="view.choosing" @close="view.choosing = false" />
  </main>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template: minmax(240px, 1fr) minmax(150px, 192px) / minmax(0, 1fr) 320px;
  grid-template-areas: 'view side' 'below side';
  overflow: hidden;
}
.view {
  grid-area: view;
}
.side {
  grid-area: side;
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.rest {
  flex: 1;
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
