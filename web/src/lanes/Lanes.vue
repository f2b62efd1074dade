<script setup lang="ts">
// The list of regions is the time area: a row each, over the frames of the shot.
import { useElementSize } from '@vueuse/core'
import { NButton, NDropdown } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Kind } from '../api/types'
import { clipOptions, SCROLLS } from '../parts/clipMenu'
import { cardOf, CARDS } from '../panels/parts'
import { SHAPES } from '../shapes'
import { grouped, useActions } from '../state/actions'
import { useCutting } from '../state/cutting'
import { useFound } from '../state/found'
import { isKeyed, shapesOf, withoutKey } from '../state/numbers'
import { useShelf } from '../state/shelf'
import { framesOf, sourceAt } from '../state/sources'
import { useStores } from '../state/stores'
import FilmStrip from './FilmStrip.vue'
import MotionRow from './MotionRow.vue'
import RegionRow from './RegionRow.vue'
import ShotTabs from './ShotTabs.vue'
import { track } from './track'

const HEAD = 312
const { session, selection, lanes, view, tools, commands, arranging } = useStores()
const shelf = useShelf()
const cutting = useCutting()
const found = useFound()
const board = ref<HTMLElement>()
const { width: whole } = useElementSize(board)
const width = computed(() => Math.max(whole.value - HEAD, 0))
const stretch = ref<{ motion: string | null; from: number; to: number } | null>(null)

const length = computed(() => selection.span?.length ?? 1)
const start = computed(() => selection.span?.start ?? 0)
const head = computed(() => ((selection.frame - start.value + 0.5) / length.value) * width.value)
const clips = computed(() => clipOptions(shelf.pictured))

/** Left edge of a source frame on the lanes. */
function place(source: number): number {
  const sources = lanes.of?.sources ?? []
  const frames = framesOf(sources)
  if (!frames) return 0
  const index = source > sourceAt(sources, frames - 1)! ? frames : lanes.sequenceFrame(source) - start.value
  return (index / length.value) * width.value
}

function frameAt(clientX: number): number {
  const box = board.value!.getBoundingClientRect()
  const index = Math.floor(((clientX - box.left - HEAD) / Math.max(width.value, 1)) * length.value)
  return start.value + Math.min(Math.max(index, 0), length.value - 1)
}

function sourceUnder(clientX: number): number {
  return sourceAt(lanes.of?.sources ?? [], frameAt(clientX) - start.value) ?? 0
}

function scrub(event: PointerEvent) {
  if (event.button !== 0) return
  selection.go(frameAt(event.clientX))
  track(event, (now) => selection.go(frameAt(now.clientX)))
}

/** A span over a lane or over the row of a motion. */
function pull(event: PointerEvent, motion: string | null) {
  if (event.button !== 0) return
  const from = sourceUnder(event.clientX)
  stretch.value = { motion: motion ?? selection.shape?.attached_to ?? null, from, to: from }
  track(
    event,
    (now) => {
      if (stretch.value) stretch.value = { ...stretch.value, to: sourceUnder(now.clientX) }
    },
    () => {
      if (stretch.value && stretch.value.from === stretch.value.to) {
        stretch.value = null
        selection.go(frameAt(event.clientX))
      }
    },
  )
}

/** Carry a keyframe along the lane; with Alt a copy of it. A press without a drag goes there. */
function carry(event: PointerEvent, part: string, frame: number) {
  let to = frame
  track(
    event,
    (now) => {
      to = sourceUnder(now.clientX)
      carried.value = { from: frame, to }
    },
    () => {
      carried.value = null
      if (to === frame) selection.go(lanes.sequenceFrame(frame))
      else void commands.change((shot) => ({ do: 'move keys', shot, part, frame, to, copied: event.altKey }))
    },
  )
}
const carried = ref<{ from: number; to: number } | null>(null)

const span = computed(() => {
  if (!stretch.value) return null
  const { from, to } = stretch.value
  const [first, last] = from < to ? [from, to] : [to, from]
  const left = place(first)
  return { first, last, left, width: place(last + 1) - left }
})

/** The keys of strengths of the selected region within the span. */
const strengths = computed(() => {
  const [chosen, region] = [span.value, selection.region]
  if (!chosen || !region) return []
  const looks = [...region.inside, ...region.outside]
  return looks.flatMap(({ id, strength }) =>
    isKeyed(strength)
      ? strength.keys
          .filter(({ frame }) => chosen.first <= frame && frame <= chosen.last)
          .map(({ frame }) => ({ id, frame }))
      : [],
  )
})

function clearStrengths() {
  const keys = strengths.value
  stretch.value = null
  void commands.editRegion('Clear keys of strength', (region) => {
    for (const { id, frame } of keys) {
      const look = [...region.inside, ...region.outside].find((one) => one.id === id)
      if (look) look.strength = withoutKey(look.strength, frame)
    }
  })
}

function overSpan(what: 'follow' | 'redo' | 'forget' | 'clear') {
  const [chosen, part] = [span.value, selection.shape]
  const motion = stretch.value?.motion
  stretch.value = null
  if (!chosen) return
  const { first, last } = chosen
  if (what === 'forget' && motion) void commands.forget(motion, first, last)
  else if (what === 'clear' && part)
    void commands.change((shot) => ({ do: 'clear keys', shot, part: part.id, first, last }))
  else if (selection.cutOut && what !== 'forget') cutting.propagate('both', [first, last])
  else if (motion) commands.follow({ motion }, 'both', [first, last], what === 'redo')
  else if (part) commands.follow({ part: part.id }, 'both', [first, last])
}

const pencil = computed(() => {
  const stroke = tools.held('stroke')
  return stroke && !stroke.part && !stroke.into
})

// Motions to which nothing is attached yet have rows of their own.
const alone = computed(() => {
  const ridden = new Set(selection.shot?.regions.flatMap((one) => shapesOf(one).map((part) => part.attached_to)))
  return selection.shot?.motions.filter((motion) => !ridden.has(motion.id)) ?? []
})
const more = [
  ...CARDS.flatMap((one) => (one.more ? [{ key: one.kind, label: one.more }] : [])),
  { key: 'people', label: 'All people, as whole figures' },
  { key: 'area', label: 'Motion of a drawn area' },
  { key: 'tracker', label: 'Motion by point trackers' },
  { key: 'file', label: 'From a file: motion or shape …' },
]
const file = ref<HTMLInputElement>()

function begin(key: string) {
  const card = cardOf(key)
  if (card) card.begin(null, null)
  else if (key === 'people') found.begin('people', null, true)
  else if (key === 'area') tools.take({ draw: 'area' })
  else if (key === 'tracker') tools.take({ draw: 'tracker', motion: null })
  else file.value?.click()
}

async function read(event: Event) {
  const input = event.target as HTMLInputElement
  const chosen = input.files?.[0]
  if (chosen) await commands.readFile(chosen)
  input.value = ''
}

function draw(kind: Kind) {
  tools.toggle({ draw: kind, into: null })
}

/** A span by keys: its ends are set at the playhead, one after the other. */
function setSpan(end: boolean) {
  const now = stretch.value ?? {
    motion: selection.motionId ?? selection.shape?.attached_to ?? null,
    from: lanes.sourceFrame,
    to: lanes.sourceFrame,
  }
  stretch.value = end ? { ...now, to: lanes.sourceFrame } : { ...now, from: lanes.sourceFrame }
}

useActions().offer(() =>
  grouped('Track and propagate', [
    { says: 'Begin a span here', keys: ['('], can: () => selection.part !== null, does: () => setSpan(false) },
    { says: 'End the span here', keys: [')'], can: () => selection.part !== null, does: () => setSpan(true) },
    {
      says: 'The span: track or propagate it',
      keys: ['Enter'],
      can: () => stretch.value !== null && !tools.inHand,
      does: () => overSpan('follow'),
    },
    {
      says: 'Leave the span',
      keys: ['Escape'],
      shown: '',
      can: () => stretch.value !== null,
      does: () => (stretch.value = null),
    },
  ]),
)

/** Frames within the shot on which the clip cuts to another one: nothing is followed over them. */
const cuts = computed(() => {
  const shot = selection.shot
  const known = shelf.media.find((clip) => clip.id === shot?.medium)?.cuts ?? []
  return shot ? known.filter((frame) => shot.first < frame && frame <= shot.last) : []
})

const several = computed(() => (session.state?.spans.length ?? 0) > 1)
const marks = computed(() => {
  const second = Math.round(session.rate)
  const most = Math.max(Math.floor(width.value / 90), 1)
  const within = [5, 10].filter((frames) => second % frames === 0)
  const steps = [...within, ...[1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600].map((seconds) => seconds * second)]
  const step = steps.find((one) => length.value / one <= most) ?? 7200 * second
  return Array.from({ length: Math.ceil(length.value / step) }, (_, index) => {
    const seconds = Math.floor((index * step) / second)
    const rest = (index * step) % second
    const clock = `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, '0')}`
    return { left: ((index * step) / length.value) * width.value, text: rest ? `+${rest}` : clock }
  })
})
</script>

<template>
  <section class="lanes" aria-label="Lanes">
    <div ref="board" class="board" :style="{ gridTemplateColumns: `${HEAD}px minmax(0, 1fr)` }">
      <div class="corner">
        <NDropdown trigger="click" v-bind="SCROLLS" :options="clips" @select="arranging.addShot">
          <NButton size="tiny" quaternary :disabled="!clips.length">Add a clip</NButton>
        </NDropdown>
        <NButton size="tiny" quaternary title="Titles, shots, colours over time (J)" @click="view.below = 'layers'"
          >Layers</NButton
        >
        <span class="spring"></span>
        <span v-if="lanes.doubts.length" class="doubts number">
          <button
            class="plainbutton"
            type="button"
            aria-label="Doubt before"
            title="Doubt before (Shift+N)"
            @click="lanes.goDoubt(-1)"
          >
            ‹
          </button>
          {{ lanes.doubts.length }} {{ lanes.doubts.length === 1 ? 'doubt' : 'doubts' }}
          <button
            class="plainbutton"
            type="button"
            aria-label="Next doubt"
            title="Next doubt (N)"
            @click="lanes.goDoubt(1)"
          >
            ›
          </button>
        </span>
      </div>
      <div class="top" @pointerdown="scrub">
        <ShotTabs v-if="several" />
        <FilmStrip :width="width" :height="40" />
        <button
          v-for="frame in cuts"
          :key="frame"
          class="cut"
          type="button"
          :aria-label="`Cut at frame ${frame}`"
          :title="`The clip cuts here, at frame ${frame}: nothing is followed over it`"
          :style="{ left: `${place(frame) - 5}px` }"
          @pointerdown.stop
          @click="selection.go(lanes.sequenceFrame(frame))"
        ></button>
        <span v-for="mark in marks" :key="mark.left" class="mark number" :style="{ left: `${mark.left}px` }">{{
          mark.text
        }}</span>
      </div>

      <RegionRow
        v-for="(region, index) in selection.shot?.regions ?? []"
        :key="region.id"
        :region="region"
        :index="index"
        :width="width"
        :place="place"
        @scrub="scrub"
        @stretch="pull"
        @carry="carry"
      />

      <MotionRow
        v-for="motion in alone"
        :key="motion.id"
        :motion="motion"
        :place="place"
        alone
        @stretch="(event) => pull(event, motion.id)"
      />

      <div class="new">
        <template v-if="selection.shot">
          <span class="soft">New:</span>
          <NButton
            size="tiny"
            secondary
            aria-label="New region: Faces"
            title="Find every face of the shot, and hide it (Q)"
            @click="found.begin('faces', null, true)"
            >Faces</NButton
          >
          <NButton
            size="tiny"
            secondary
            aria-label="New region: Lettering"
            title="Find the lettering of the shot, and hide it"
            @click="found.begin('lettering', null, true)"
            >Lettering</NButton
          >
          <NButton
            size="tiny"
            secondary
            aria-label="New region: Sky"
            title="Find the sky of the shot (Y)"
            @click="found.begin('sky', null, false)"
            >Sky</NButton
          >
          <NButton
            size="tiny"
            :type="pencil ? 'primary' : 'default'"
            secondary
            :aria-pressed="pencil"
            aria-label="New region: A person or thing"
            title="Draw over it, and Cravo cuts it out (S)"
            @click="cutting.take(true, { into: null })"
            >A person or thing</NButton
          >
          <NButton
            v-for="kind in SHAPES"
            :key="kind.kind"
            size="tiny"
            :type="tools.draw === kind.kind ? 'primary' : 'default'"
            secondary
            :aria-pressed="tools.draw === kind.kind"
            :aria-label="`New region: ${kind.label}`"
            :title="`Draw a new region (${kind.key})`"
            @click="draw(kind.kind)"
            >{{ kind.label }}</NButton
          >
          <NDropdown trigger="click" :options="more" @select="begin">
            <NButton size="tiny" quaternary aria-label="More that can be begun">more …</NButton>
          </NDropdown>
          <input
            ref="file"
            type="file"
            hidden
            accept=".json,.csv,.svg"
            aria-label="Motion or shape file"
            @change="read"
          />
        </template>
      </div>
      <div class="rest" @pointerdown="scrub">
        <span v-if="selection.shot && !selection.shot.regions.length" class="soft">
          Nothing is separated in this shot yet. Go to a frame where it is clear, and draw over it.
        </span>
      </div>

      <div
        v-if="carried"
        class="carried number"
        :style="{ left: `${HEAD + (place(carried.to) + place(carried.to + 1)) / 2}px` }"
      >
        {{ carried.from }} → {{ carried.to }}
      </div>
      <div
        v-for="frame in cuts"
        :key="frame"
        class="cutline"
        :style="{ left: `${HEAD + place(frame)}px`, top: several ? '22px' : '0' }"
      ></div>
      <div
        v-if="selection.span"
        class="playhead"
        :style="{ left: `${HEAD + head}px`, top: several ? '22px' : '0' }"
      ></div>
      <div v-if="span" class="stretch" :style="{ left: `${HEAD + span.left}px`, width: `${span.width}px` }">
        <NButton size="tiny" type="primary" @click="overSpan('follow')"
          >Follow {{ span.first }}–{{ span.last }}</NButton
        >
        <template v-if="stretch?.motion">
          <NButton size="tiny" @click="overSpan('redo')">Redo</NButton>
          <NButton size="tiny" title="Forget what was followed" @click="overSpan('forget')">Forget</NButton>
        </template>
        <NButton
          v-if="selection.shape && !selection.motionId"
          size="tiny"
          title="Take back what was set by hand"
          @click="overSpan('clear')"
          >Clear by hand</NButton
        >
        <NButton v-if="strengths.length" size="tiny" title="Remove the keys of strengths" @click="clearStrengths"
          >Clear strength</NButton
        >
      </div>
    </div>
    <span
      class="sr"
      role="slider"
      tabindex="0"
      aria-label="Playhead"
      :aria-valuemin="0"
      :aria-valuemax="Math.max(session.frames - 1, 0)"
      :aria-valuenow="selection.frame"
      :aria-valuetext="`frame ${selection.frame} of the film`"
    ></span>
  </section>
</template>

<style scoped>
.lanes {
  overflow: auto;
  background: var(--ground);
  border-top: 1px solid var(--line);
  min-height: 0;
  position: relative;
}
.board {
  position: relative;
  display: grid;
  min-height: 100%;
  grid-auto-rows: min-content;
  align-content: start;
}
.corner {
  display: flex;
  align-items: center;
  gap: 4px;
  padding: 0 6px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
}
.spring {
  flex: 1;
}
.doubts {
  color: var(--doubt);
  display: flex;
  align-items: center;
}
.top {
  position: relative;
  border-bottom: 1px solid var(--line);
  cursor: col-resize;
  touch-action: none;
}
.mark {
  position: absolute;
  bottom: 26px;
  padding: 0 4px 0 3px;
  font-size: 11px;
  line-height: 14px;
  color: #fff;
  background: #0009;
  border-left: 1px solid #fff;
  pointer-events: none;
}
.cut {
  all: unset;
  position: absolute;
  bottom: 0;
  width: 11px;
  height: 40px;
  cursor: pointer;
}
.cut:focus-visible {
  outline: 2px solid var(--accent);
}
.cutline {
  position: absolute;
  bottom: 0;
  border-left: 2px dashed var(--text);
  opacity: 0.7;
  pointer-events: none;
}
.new {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 4px;
  padding: 6px 6px;
  font-size: 12px;
  white-space: nowrap;
}
.carried {
  position: absolute;
  top: 26px;
  bottom: 0;
  padding-left: 4px;
  border-left: 2px solid var(--text);
  font-size: 12px;
  pointer-events: none;
}
.rest {
  padding: 10px 12px 10px 132px;
  cursor: col-resize;
}
.stretch {
  position: absolute;
  top: 0;
  bottom: 0;
  display: flex;
  gap: 4px;
  align-items: center;
  justify-content: center;
  background: color-mix(in srgb, var(--accent) 18%, transparent);
  border-inline: 1px solid var(--accent);
  pointer-events: none;
}
.stretch > * {
  pointer-events: auto;
}
</style>
