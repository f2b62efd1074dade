<script setup lang="ts">
// The layers of the whole film over time, the uppermost on top.
import { useElementSize } from '@vueuse/core'
import { NButton, NCheckbox, NDropdown } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Item, Shot } from '../api/types'
import { clipOptions, SCROLLS } from '../parts/clipMenu'
import { lengthOf } from '../parts/words'
import { useShelf } from '../state/shelf'
import { useStores } from '../state/stores'
import { track } from './track'

const HEAD = 200
const ROW = 34
const NEAR = 8 // screen pixels within which edges snap
const { session, selection, view, arranging } = useStores()
const shelf = useShelf()
const board = ref<HTMLElement>()
const { width: whole } = useElementSize(board)
const width = computed(() => Math.max(whole.value - HEAD, 0))
const frames = computed(() => Math.max(session.frames, 1))
const layers = computed(() => [...(session.document?.layers ?? [])].map((layer, index) => ({ layer, index })).reverse())
const held = ref<{ id: string; start: number; length: number; layer: number } | null>(null)
const clips = computed(() => clipOptions(shelf.pictured))
const adds = computed(() => [
  { key: 'title', label: 'A title' },
  { key: 'solid', label: 'A colour' },
  { key: 'clip', label: 'A clip', children: clips.value, disabled: !clips.value.length },
])

/** Layers that nobody named are counted from the lowest on. */
const nameOf = (name: string, index: number) => (/^Layer \d+$/.test(name) ? `Layer ${index + 1}` : name)

function lengthIn(item: Item): number {
  if (item.kind !== 'shot') return item.length
  return session.state?.spans.find((one) => one.shot === item.id)?.length ?? 1
}

const px = (frame: number) => (frame / frames.value) * width.value
const perPixel = computed(() => frames.value / Math.max(width.value, 1))

function style(item: Item) {
  const now = held.value?.id === item.id ? held.value : { start: item.start, length: lengthIn(item) }
  return { left: `${px(now.start)}px`, width: `${Math.max(px(now.length) - 1, 4)}px` }
}

function frameAt(clientX: number): number {
  const left = board.value!.getBoundingClientRect().left + HEAD
  return Math.min(Math.max(Math.floor((clientX - left) * perPixel.value), 0), session.frames - 1)
}

function scrub(event: PointerEvent) {
  if (event.button !== 0) return
  selection.go(frameAt(event.clientX))
  track(event, (now) => selection.go(frameAt(now.clientX)))
}

/** The nearest of the edges of others, the playhead and the beginning, where one is near. */
function snapped(frame: number, besides: string): number {
  const edges = [0, selection.frame]
  for (const { layer } of layers.value)
    for (const one of layer.items) if (one.id !== besides) edges.push(one.start, one.start + lengthIn(one))
  const best = edges.reduce((a, b) => (Math.abs(b - frame) < Math.abs(a - frame) ? b : a))
  return Math.abs(best - frame) <= NEAR * perPixel.value ? best : frame
}

function choose(item: Item) {
  selection.itemId = item.id
  selection.select(null)
}

/** Drag to another time or layer; what it meets there moves on. */
function move(event: PointerEvent, item: Item, index: number) {
  if (event.button !== 0) return
  event.stopPropagation()
  if (event.altKey && item.kind === 'shot') return slip(event, item)
  choose(item)
  const length = lengthIn(item)
  const count = layers.value.length
  track(
    event,
    (now) => {
      const raw = Math.round(item.start + (now.clientX - event.clientX) * perPixel.value)
      const begin = snapped(raw, item.id)
      const end = snapped(raw + length, item.id) - length
      const start = Math.max(begin !== raw ? begin : end, 0)
      const layer = Math.min(Math.max(index - Math.round((now.clientY - event.clientY) / ROW), 0), count)
      if (held.value || Math.abs(now.clientX - event.clientX) + Math.abs(now.clientY - event.clientY) > 4)
        held.value = { id: item.id, start, length, layer }
    },
    () => {
      const to = held.value
      held.value = null
      if (to && (to.start !== item.start || to.layer !== index))
        arranging.arrange('lay', { shot: item.id, frame: to.start, layer: to.layer })
    },
  )
}

/** How much more of its clip a shot has at an end, in frames of the film. */
function more(item: Shot, end: boolean): number {
  if (item.held) return Infinity
  const frames = shelf.medium(item.medium)?.frames ?? 0
  const unseen = end !== item.backwards ? frames - 1 - item.last : item.first
  return Math.round((unseen * lengthIn(item)) / Math.max(item.last - item.first + 1, 1))
}

/** Pull an end: inwards the item is trimmed there, outwards a shot shows more of its clip, a title or a colour lasts longer. */
function trim(event: PointerEvent, item: Item, end: boolean) {
  if (event.button !== 0) return
  event.stopPropagation()
  choose(item)
  const [start, length] = [item.start, lengthIn(item)]
  const most = item.kind === 'shot' ? more(item, end) : Infinity
  track(
    event,
    (now) => {
      const raw = (end ? start + length : start) + Math.round((now.clientX - event.clientX) * perPixel.value)
      const to = snapped(raw, item.id)
      const from = end ? start : Math.min(Math.max(to, start - most, 0), start + length - 1)
      const until = end ? Math.min(Math.max(to, start + 1), start + length + most) : start + length
      held.value = { id: item.id, start: from, length: until - from, layer: -1 }
    },
    () => {
      const to = held.value
      held.value = null
      if (!to || (to.start === start && to.length === length)) return
      const shot = item.id
      if (item.kind !== 'shot')
        arranging.editItem('Length', (one) => {
          one.start = to.start
          if (one.kind !== 'shot') one.length = to.length
        })
      else if (to.length > length)
        arranging.arrange(end ? 'extend end' : 'extend begin', { shot, length: to.length - length })
      else if (end) arranging.arrange('end', { shot, frame: to.start + to.length - 1 })
      else arranging.arrange('begin', { shot, frame: to.start })
    },
  )
}

/** Drag with Alt: the shot stays where it is and shows an earlier or later part of its clip. */
function slip(event: PointerEvent, item: Item) {
  choose(item)
  let by = 0
  track(
    event,
    (now) => {
      by = -Math.round((now.clientX - event.clientX) * perPixel.value)
      slipped.value = { id: item.id, by }
    },
    () => {
      slipped.value = null
      if (by) arranging.arrange('slip', { shot: item.id, by })
    },
  )
}
const slipped = ref<{ id: string; by: number } | null>(null)

const FADES = [
  { which: 'fade_in', side: 'in', from: 'left', says: 'Drag: fade in' },
  { which: 'fade_out', side: 'out', from: 'right', says: 'Drag: fade out' },
] as const
/** Drag a corner: so long it fades in, or out. */
function fade(event: PointerEvent, item: Item, which: 'fade_in' | 'fade_out') {
  if (event.button !== 0) return
  event.stopPropagation()
  choose(item)
  const [was, length] = [item[which], lengthIn(item)]
  let to = was
  track(
    event,
    (now) => {
      const moved = Math.round((now.clientX - event.clientX) * perPixel.value)
      to = Math.min(Math.max(was + (which === 'fade_in' ? moved : -moved), 0), length)
      faded.value = { id: item.id, which, to }
    },
    () => {
      faded.value = null
      if (to !== was) arranging.editItem(which === 'fade_in' ? 'Fade in' : 'Fade out', (one) => (one[which] = to))
    },
  )
}
const faded = ref<{ id: string; which: 'fade_in' | 'fade_out'; to: number } | null>(null)
const fadeOf = (item: Item, which: 'fade_in' | 'fade_out') =>
  faded.value?.id === item.id && faded.value.which === which ? faded.value.to : item[which]

function add(key: string) {
  if (key === 'title' || key === 'solid') void arranging.put(key)
  else void arranging.put('clip', key)
}

function show(index: number, on: boolean) {
  void session.edit(on ? 'Show layer' : 'Hide layer', (fresh) => {
    fresh.layers[index].on = on
  })
}

function openLanes(item: Item) {
  choose(item)
  if (item.kind !== 'shot') return
  if (!(item.start <= selection.frame && selection.frame < item.start + lengthIn(item))) selection.go(item.start)
  view.below = 'lanes'
}

const marks = computed(() => {
  const second = Math.round(session.rate)
  const most = Math.max(Math.floor(width.value / 90), 1)
  const step =
    [1, 2, 5, 10, 30, 60, 120, 300, 600, 1800].map((one) => one * second).find((one) => frames.value / one <= most) ??
    3600 * second
  return Array.from({ length: Math.ceil(frames.value / step) }, (_, i) => ({
    left: px(i * step),
    text: lengthOf((i * step) / second),
  }))
})
</script>

<template>
  <section class="layers" aria-label="Layers">
    <div class="tools">
      <NButton size="tiny" title="Back to the lanes of the shot (J)" @click="view.below = 'lanes'">Lanes</NButton>
      <NDropdown trigger="click" v-bind="SCROLLS" :options="adds" @select="add">
        <NButton size="tiny">Add …</NButton>
      </NDropdown>
      <NButton size="tiny" :disabled="!selection.item" @click="arranging.arrange('duplicate')">Duplicate above</NButton>
      <NButton
        size="tiny"
        :disabled="!selection.item"
        title="In two, the second from this frame on (U)"
        @click="arranging.arrange('split')"
        >Split here</NButton
      >
      <NButton
        size="tiny"
        :disabled="!selection.item"
        title="To the layer above (Page Up)"
        @click="arranging.arrange('up')"
        >Up</NButton
      >
      <NButton
        size="tiny"
        :disabled="!selection.item"
        title="To the layer beneath (Page Down)"
        @click="arranging.arrange('down')"
        >Down</NButton
      >
      <NCheckbox
        v-model:checked="arranging.closing"
        size="small"
        title="What comes later on the layer moves along when something is trimmed or removed"
        >Close gaps</NCheckbox
      >
      <span class="soft hint">A double click on a shot opens its lanes; drag with Alt to slip it.</span>
    </div>
    <div ref="board" class="board" :style="{ gridTemplateColumns: `${HEAD}px minmax(0, 1fr)` }">
      <div class="corner soft number">{{ lengthOf(session.frames / session.rate) }}</div>
      <div class="ruler" @pointerdown="scrub">
        <span v-for="mark in marks" :key="mark.left" class="number" :style="{ left: `${mark.left}px` }">{{
          mark.text
        }}</span>
      </div>
      <template v-for="{ layer, index } in layers" :key="layer.id">
        <div class="head" :class="{ aim: held && held.layer === index }">
          <NCheckbox
            size="small"
            :checked="layer.on"
            :aria-label="`Show ${nameOf(layer.name, index)}`"
            @update:checked="(on: boolean) => show(index, on)"
          />
          <span class="fade">{{ nameOf(layer.name, index) }}</span>
        </div>
        <div
          class="row"
          role="list"
          :aria-label="nameOf(layer.name, index)"
          :style="{ height: `${ROW}px` }"
          @pointerdown="scrub"
        >
          <div
            v-for="item in layer.items"
            :key="item.id"
            role="listitem"
            class="item"
            :class="[item.kind, { here: item.id === selection.itemId, off: !layer.on }]"
            :style="style(item)"
            :title="item.name"
          >
            <button
              class="body fade"
              type="button"
              :aria-pressed="item.id === selection.itemId"
              @pointerdown="move($event, item, index)"
              @click="choose(item)"
              @dblclick="openLanes(item)"
            >
              {{ item.kind === 'title' ? item.text : item.name }}
            </button>
            <template v-for="one in FADES" :key="one.which">
              <span
                v-if="fadeOf(item, one.which)"
                class="faded"
                :class="one.side"
                :style="{ width: `${px(fadeOf(item, one.which))}px` }"
              ></span>
              <span
                class="fader"
                :class="one.side"
                :data-fader="one.side"
                :title="one.says"
                :style="{ [one.from]: `${px(fadeOf(item, one.which))}px` }"
                @pointerdown="fade($event, item, one.which)"
              ></span>
            </template>
            <output v-if="slipped?.id === item.id" class="slipped number"
              >{{ slipped.by > 0 ? '+' : '' }}{{ slipped.by }} frames</output
            >
            <span class="end left" data-end="begin" @pointerdown="trim($event, item, false)"></span>
            <span class="end right" data-end="end" @pointerdown="trim($event, item, true)"></span>
          </div>
        </div>
      </template>
      <div class="playhead" :style="{ left: `${HEAD + px(selection.frame + 0.5)}px` }"></div>
    </div>
  </section>
</template>

<style scoped>
.layers {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  background: var(--ground);
  border-top: 1px solid var(--line);
  min-height: 0;
}
.tools {
  display: flex;
  align-items: center;
  gap: 6px;
  padding: 4px 8px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
}
.hint {
  margin-left: auto;
}
.board {
  position: relative;
  display: grid;
  overflow-y: auto;
  align-content: start;
}
.corner,
.head {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 10px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
}
.head.aim {
  background: var(--raised);
}
.ruler {
  position: relative;
  height: 20px;
  border-bottom: 1px solid var(--line);
  cursor: col-resize;
  touch-action: none;
}
.ruler span {
  position: absolute;
  padding-left: 3px;
  border-left: 1px solid var(--control);
  font-size: 11px;
  line-height: 20px;
  color: var(--soft);
  pointer-events: none;
}
.row {
  position: relative;
  border-bottom: 1px solid var(--line);
  touch-action: none;
}
.item {
  position: absolute;
  top: 3px;
  bottom: 3px;
  overflow: hidden;
  border: 1px solid var(--control);
  border-radius: 3px;
  background: var(--raised);
  box-sizing: border-box;
}
.item.title {
  border-style: dashed;
}
.item.solid {
  background: repeating-linear-gradient(45deg, var(--raised) 0 6px, var(--panel) 6px 12px);
}
.item.here {
  border-color: var(--accent);
  box-shadow: inset 0 -2px 0 var(--accent);
}
.item.off {
  opacity: 0.45;
}
.body {
  all: unset;
  position: absolute;
  inset: 0;
  padding: 0 10px;
  font-size: 12px;
  line-height: 26px;
  cursor: grab;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.body:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: -3px;
}
.end {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 7px;
  cursor: ew-resize;
}
.end.left {
  left: 0;
}
.end.right {
  right: 0;
}
/* Handles of fades: seen on what is chosen or under the pointer. */
.fader {
  position: absolute;
  z-index: 1; /* over the ends, whose upper corners they are */
  top: 0;
  width: 10px;
  height: 10px;
  background: var(--text);
  cursor: ew-resize;
  opacity: 0;
}
.fader.in {
  clip-path: polygon(0 0, 100% 0, 0 100%);
}
.fader.out {
  clip-path: polygon(0 0, 100% 0, 100% 100%);
}
.item.here .fader,
.item:hover .fader {
  opacity: 1;
}
.slipped {
  position: absolute;
  inset: 0;
  display: grid;
  place-content: center;
  background: var(--ground);
  opacity: 0.85;
  font-size: 12px;
}
.faded {
  position: absolute;
  top: 0;
  bottom: 0;
  pointer-events: none;
  background: linear-gradient(to bottom right, var(--ground) 50%, transparent 50%);
  opacity: 0.75;
}
.faded.out {
  right: 0;
  background: linear-gradient(to bottom left, var(--ground) 50%, transparent 50%);
}
</style>
