<script setup lang="ts">
// Pictures of the shot to scrub along, with the playhead, where the lanes are not seen.
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useSelection } from '../state/selection'
import FilmStrip from './FilmStrip.vue'
import { track } from './track'

const HEIGHT = 40
const selection = useSelection()
const strip = ref<HTMLElement>()
const { width } = useElementSize(strip)
const span = computed(() => ({ start: selection.span?.start ?? 0, length: selection.span?.length ?? 1 }))
const head = computed(() => ((selection.frame - span.value.start + 0.5) / span.value.length) * width.value)

function go(event: PointerEvent) {
  const left = strip.value!.getBoundingClientRect().left
  const index = Math.floor(((event.clientX - left) / Math.max(width.value, 1)) * span.value.length)
  selection.go(span.value.start + Math.min(Math.max(index, 0), span.value.length - 1))
}

function scrub(event: PointerEvent) {
  if (event.button !== 0) return
  go(event)
  track(event, go)
}
</script>

<template>
  <div ref="strip" class="strip" title="Drag to scrub" @pointerdown="scrub">
    <FilmStrip :width="width" :height="HEIGHT" />
    <div class="playhead" :style="{ left: `${head}px` }"></div>
  </div>
</template>

<style scoped>
.strip {
  position: relative;
  height: 40px;
  overflow: hidden;
  cursor: col-resize;
  touch-action: none;
}
</style>
