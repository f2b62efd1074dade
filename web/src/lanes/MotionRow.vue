<script setup lang="ts">
// A motion as a thin row: what it has followed, bridged, lost. Under the region that is attached to it, or by itself.
import { computed } from 'vue'
import type { Motion } from '../api/types'
import { standing, useWork } from '../state/work'
import { trackerColour } from '../state/trackers'
import { useStores } from '../state/stores'
import type { Place } from './draw'

const props = defineProps<{ motion: Motion; place: Place; alone?: boolean }>()
const emit = defineEmits<{ stretch: [event: PointerEvent, motion: Motion] }>()

const { selection, lanes } = useStores()
const work = useWork()
const running = computed(() => work.on(props.motion.id))
const selected = computed(() => selection.motionId === props.motion.id)
const bars = computed(() => {
  const known = lanes.of?.motions.find((one) => one.motion === props.motion.id)
  const stretches = [
    ...(known?.followed ?? []).map(([first, last]) => ({ first, last, kind: 'followed' })),
    ...(known?.bridged ?? []).map(([first, last]) => ({ first, last, kind: 'bridged' })),
    ...(known?.lost ?? []).map((frame) => ({ first: frame, last: frame, kind: 'lost' })),
  ]
  return stretches.map(({ first, last, kind }) => {
    const left = props.place(first)
    return { left, width: Math.max(props.place(last + 1) - left, 1), kind }
  })
})
/** Where each tracker is known, one thin line for each, in its colour. */
const threads = computed(() => {
  const known = lanes.of?.motions.find((one) => one.motion === props.motion.id)?.trackers ?? []
  return props.motion.trackers.flatMap((tracker, index) =>
    (known.find((one) => one.tracker === tracker.id)?.known ?? []).map(([first, last]) => ({
      key: `${tracker.id} ${first}`,
      title: `${tracker.name}: frames ${first} to ${last}`,
      left: props.place(first),
      width: Math.max(props.place(last + 1) - props.place(first), 1),
      top: props.motion.trackers.length > 1 ? 2 + (12 * index) / (props.motion.trackers.length - 1 || 1) : 13,
      colour: trackerColour(index),
    })),
  )
})
const marks = computed(() => [
  ...(props.motion.trackers.length ? props.motion.trackers.map((one) => one.at) : [props.motion.at]),
  ...props.motion.anchors.map((one) => one.frame),
])
</script>

<template>
  <div class="head" :class="{ selected }">
    <button
      class="name"
      type="button"
      :aria-pressed="selected"
      :title="motion.name"
      @click="selection.motionId = motion.id"
    >
      <span class="soft">{{ alone ? 'motion' : 'follows' }}</span> <span class="fade">{{ motion.name }}</span>
    </button>
    <template v-if="running">
      <span class="number soft fade">{{ standing(running) }}</span>
      <button class="plainbutton stop" type="button" @click="work.stop(running.id)">
        <svg viewBox="0 0 10 10" width="9" height="9" aria-hidden="true">
          <path d="M1 1h8v8H1z" fill="currentColor" />
        </svg>
        Stop
      </button>
    </template>
  </div>
  <div
    class="lane"
    data-testid="motion"
    title="Drag to follow, redo or forget just a span"
    @pointerdown="emit('stretch', $event, motion)"
  >
    <span
      v-for="(bar, index) in bars"
      :key="index"
      class="bar"
      :class="[bar.kind, { front: running }]"
      :style="{ left: `${bar.left}px`, width: `${bar.width}px` }"
    ></span>
    <template v-if="motion.trackers.length > 1">
      <span
        v-for="one in threads"
        :key="one.key"
        class="thread"
        data-testid="thread"
        :title="one.title"
        :style="{ left: `${one.left}px`, width: `${one.width}px`, top: `${one.top}px`, background: one.colour }"
      ></span>
    </template>
    <span
      v-for="frame in marks"
      :key="`mark ${frame}`"
      class="mark"
      :style="{ left: `${(place(frame) + place(frame + 1)) / 2}px` }"
    ></span>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
  height: 18px;
  padding: 0 6px 0 57px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
  border-left: 3px solid transparent;
  font-size: 12px;
}
.head.selected {
  border-left-color: var(--accent);
  background: var(--raised);
}
.name {
  all: unset;
  display: flex;
  gap: 6px;
  flex: 1;
  min-width: 0;
  cursor: pointer;
}
.name:focus-visible {
  outline: 2px solid var(--accent);
}
.stop {
  height: 16px;
  font-size: 12px;
}
.lane {
  position: relative;
  height: 18px;
  border-bottom: 1px solid var(--line);
  cursor: crosshair;
  touch-action: none;
}
.bar {
  position: absolute;
  top: 7px;
  height: 4px;
  border-radius: 2px;
  background: var(--soft);
}
.bar.bridged {
  background: repeating-linear-gradient(90deg, var(--doubt) 0 3px, transparent 3px 6px);
}
.bar.lost {
  top: 4px;
  height: 10px;
  min-width: 3px;
  background: var(--bad);
}
.bar.front {
  background: linear-gradient(90deg, var(--accent), var(--soft) 24px calc(100% - 24px), var(--accent));
}
.thread {
  position: absolute;
  height: 2px;
}
.mark {
  position: absolute;
  top: 3px;
  width: 2px;
  height: 12px;
  margin-left: -1px;
  background: var(--text);
}
</style>
