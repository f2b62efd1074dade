<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import Lanes from '../lanes/Lanes.vue'
import Card from '../panels/Card.vue'
import Missing from '../parts/Missing.vue'
import { isTyping } from '../parts/keys'
import { MATTE_VIEWS, useBench } from '../state/bench'
import Picture from '../viewer/Picture.vue'

const route = useRoute()
const bench = useBench()
const picture = ref<InstanceType<typeof Picture>>()

onMounted(() => bench.open(String(route.params.id)))
watch(
  () => route.params.id,
  (id) => typeof id === 'string' && void bench.open(id),
)

// The first region of a shot is at hand when the shot is reached.
watch(
  () => bench.shot?.id,
  () => {
    if (!bench.region) bench.regionId = bench.shot?.regions[0]?.id ?? null
  },
)

const NUDGE: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}

function nudge(event: KeyboardEvent) {
  const part = bench.region?.parts[0]
  const pose = part && bench.poseOf(part)
  if (!part || !pose) return
  const [dx, dy] = NUDGE[event.key]
  const by = event.shiftKey ? 10 : 1
  bench.place(part, { ...pose, x: pose.x + dx * by, y: pose.y + dy * by }, 'Move shape')
}

function drawInTheMiddle() {
  const size = bench.medium ?? bench.document
  if (!size?.width || !size.height) return
  const side = Math.min(size.width, size.height)
  void bench.addRegion({ x: size.width / 2, y: size.height / 2, rx: side / 6, ry: side / 5, rotation: 0 })
}

const part = () => bench.region?.parts[0]
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
  r: () => {
    if (bench.shot) bench.drawing = !bench.drawing
  },
  e: () => {
    const region = bench.region
    if (region)
      void bench.editRegion(region.on ? `Switch ${region.name} off` : `Switch ${region.name} on`, (one) => {
        one.on = !one.on
      })
  },
  f: (event) => {
    const one = part()
    if (one) bench.follow(one, event.shiftKey ? 'forwards' : event.altKey ? 'backwards' : 'both')
  },
  '.': () => {
    const one = part()
    if (one) bench.follow(one, 'next')
  },
  ',': () => {
    const one = part()
    if (one) bench.follow(one, 'previous')
  },
  x: () => {
    const one = part()
    if (one) bench.clearKey(one)
  },
  Delete: () => {
    if (bench.regionId) void bench.removeRegion(bench.regionId)
  },
  '+': () => picture.value?.zoomIn(),
  '=': () => picture.value?.zoomIn(),
  '-': () => picture.value?.zoomOut(),
  '0': () => picture.value?.fitIn(),
  Enter: () => {
    if (bench.drawing) drawInTheMiddle()
  },
  Escape: () => {
    bench.drawing = false
  },
}

// A button that was clicked gives the keys back, so that Space plays; one reached by keys keeps them.
useEventListener(window, 'click', (event: MouseEvent) => {
  const active = document.activeElement
  if (event.detail > 0 && active instanceof HTMLElement && active.matches('button, a, [role=checkbox]')) active.blur()
})

useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (isTyping(event)) return
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
    event.preventDefault()
    bench.step(event.shiftKey ? 'redo' : 'undo')
    return
  }
  if (event.ctrlKey || event.metaKey) return
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
    bench.regionId = bench.shot?.regions[Number(event.key) - 1]?.id ?? bench.regionId
    return
  }
  const action = actions[event.key] ?? actions[event.key.toLowerCase()]
  if (!action) return
  event.preventDefault()
  action(event)
})
</script>

<template>
  <Missing v-if="bench.missing" :sentence="bench.missing" />
  <main v-else class="page bench">
    <Picture ref="picture" class="view" />
    <Card class="side" />
    <Lanes class="below" />
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
@media (min-height: 1000px) {
  .bench {
    grid-template-rows: minmax(240px, 1fr) 280px;
  }
}
</style>
