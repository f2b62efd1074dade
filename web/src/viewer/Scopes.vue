<script setup lang="ts">
// Scopes of the picture as it is shown: while it is worked on and while it plays. The server counts, the lines are drawn here.
import { NCheckbox } from 'naive-ui'
import { onBeforeUnmount, ref, watch } from 'vue'
import { scope } from '../api/client'
import type { PictureRequest, ScopeKind } from '../api/types'
import ScrubStrip from '../lanes/ScrubStrip.vue'
import { Latest } from './latest'
import { useStores } from '../state/stores'

const props = defineProps<{ wanted: PictureRequest }>()
const { session, selection, lanes, view } = useStores()
const kinds: { kind: ScopeKind; title: string }[] = [
  { kind: 'waveform', title: 'Waveform, luma' },
  { kind: 'parade', title: 'Waveform, red green blue' },
  { kind: 'histogram', title: 'Histogram' },
  { kind: 'vectorscope', title: 'Vectorscope' },
]
const alone = ref(false)
const busy = ref(false)
const canvases = ref<HTMLCanvasElement[]>([])
// Where black and white lie in what the server draws.
const [LOW, HIGH] = [-0.075, 1.095]
const level = (share: number) => `${(1 - (share - LOW) / (HIGH - LOW)) * 100}%`
const across = (share: number) => `${((share - LOW) / (HIGH - LOW)) * 100}%`
const TARGETS = [
  ['R', -0.115, 0.5],
  ['Y', -0.5, 0.046],
  ['G', -0.385, -0.454],
  ['C', 0.115, -0.5],
  ['B', 0.5, -0.046],
  ['M', 0.385, 0.454],
] as const

let over = false
onBeforeUnmount(() => (over = true))

const fetching = new Latest<PictureRequest>(async (wish) => {
  if (!session.id || over) return
  const region = alone.value ? selection.regionId : null
  try {
    await Promise.all(
      kinds.map(async ({ kind }, i) => {
        const bitmap = await scope(session.id!, { picture: wish, kind, region })
        const canvas = canvases.value[i]
        if (!canvas) return
        Object.assign(canvas, { width: bitmap.width, height: bitmap.height })
        canvas.getContext('2d')?.drawImage(bitmap, 0, 0)
        bitmap.close()
        canvas.dataset.made = String(Number(canvas.dataset.made ?? 0) + 1)
      }),
    )
  } catch {
    // The picture itself says what is wrong.
  }
  if (wish === props.wanted) busy.value = false
})
watch(
  [() => props.wanted, () => session.state?.revision, () => lanes.results, alone],
  () => {
    if (!session.frames) return
    busy.value = true
    fetching.want(props.wanted)
  },
  { immediate: true },
)
</script>

<template>
  <section class="scopes" aria-label="Scopes" :aria-busy="busy">
    <ScrubStrip class="scrub" />
    <figure v-for="(one, i) in kinds" :key="one.kind" :class="one.kind">
      <figcaption>
        {{ one.title }}
        <template v-if="i === kinds.length - 1">
          <NCheckbox v-model:checked="alone" size="small" :disabled="!selection.region">Region only</NCheckbox>
          <button class="plainbutton" type="button" title="Back to the lanes (W)" @click="view.below = 'lanes'">
            Lanes
          </button>
        </template>
      </figcaption>
      <div class="plot">
        <canvas ref="canvases" :data-scope="one.kind" role="img" :aria-label="one.title"></canvas>
        <template v-if="one.kind === 'waveform' || one.kind === 'parade'">
          <span v-for="share in [0, 0.25, 0.5, 0.75, 1]" :key="share" class="level" :style="{ top: level(share) }"
            ><b>{{ share * 100 }}</b></span
          >
        </template>
        <template v-else-if="one.kind === 'histogram'">
          <span v-for="share in [0, 0.5, 1]" :key="share" class="column" :style="{ left: across(share) }"
            ><b>{{ share * 100 }}</b></span
          >
        </template>
        <svg v-else viewBox="-0.5 -0.5 1 1" aria-hidden="true">
          <circle r="0.25" />
          <circle r="0.5" />
          <path d="M-0.5 0H0.5M0-0.5V0.5" />
          <!-- Skin of every tone lies near this line, 123 degrees from Cb: common practice. -->
          <path class="skin" d="M0 0L-0.272 -0.419" />
          <text class="skin" x="-0.35" y="-0.43">skin</text>
          <template v-for="[name, cb, cr] in TARGETS" :key="name">
            <rect :x="cb * 0.75 - 0.02" :y="-cr * 0.75 - 0.02" width="0.04" height="0.04" />
            <text :x="cb * 0.75 + 0.028" :y="-cr * 0.75 + 0.012">{{ name }}</text>
          </template>
        </svg>
      </div>
    </figure>
  </section>
</template>

<style scoped>
.scopes {
  display: flex;
  flex-wrap: wrap;
  align-content: stretch;
  gap: 1px;
  min-height: 0;
  background: var(--line);
  border-top: 1px solid var(--line);
}
.scrub {
  flex: 0 0 100%;
}
figure {
  height: calc(100% - 41px);
  display: flex;
  flex-direction: column;
  flex: 1 1 0;
  min-width: 0;
  margin: 0;
  background: #161616;
  color: #e4e4e4;
}
figure.vectorscope {
  flex: none;
  min-width: 300px;
}
figcaption {
  display: flex;
  gap: 8px;
  align-items: center;
  height: 24px;
  padding: 0 8px;
  background: var(--panel);
  color: var(--text);
  font-size: 12px;
}
.plot {
  position: relative;
  flex: 1;
  min-height: 0;
  margin: 4px 8px 4px 30px;
}
.histogram .plot {
  margin: 4px 8px 16px;
}
.vectorscope .plot {
  aspect-ratio: 1;
  align-self: center;
  margin: 2px;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
circle,
path,
rect {
  fill: none;
  stroke: #ffffff4d;
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
path.skin {
  stroke: #ffcf9e;
  stroke-dasharray: 4 3;
}
text {
  fill: #d0d0d0;
  font-size: 0.055px;
}
text.skin {
  fill: #ffcf9e;
}
.level {
  position: absolute;
  left: 0;
  right: 0;
  border-top: 1px solid #ffffff38;
}
.level b {
  position: absolute;
  right: calc(100% + 4px);
  top: -8px;
}
.column {
  position: absolute;
  top: 0;
  bottom: 0;
  border-left: 1px solid #ffffff38;
}
.column b {
  position: absolute;
  top: 100%;
  transform: translateX(-50%);
}
b {
  font-weight: 400;
  font-size: 11px;
}
</style>
