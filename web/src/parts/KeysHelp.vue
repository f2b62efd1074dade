<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue'
import { isTyping } from './keys'
import Sheet from './Sheet.vue'

const open = ref(false)
const keys: [string, string][] = [
  ['Space', 'play, pause'],
  ['← →', 'one frame back, on; with Shift ten'],
  ['Home, End', 'first, last frame'],
  ['N', 'next doubt; with Shift the one before'],
  ['M', 'next way of showing the matte'],
  ['B', 'before, after; with Shift the divider'],
  ['I', 'value under the pointer'],
  ['W J', 'scopes, layers, in the place of the lanes'],
  ['Page Up, Page Down', 'on the layers: to the layer above, beneath'],
  ['Y', 'find the sky of the shot'],
  ['O', 'recipes'],
  ['Q', 'find every face of the shot, and hide it'],
  ['S', 'draw over a person or thing to cut it out; with Shift over what is not it'],
  ['R T P H', 'draw an ellipse, rectangle, path, horizon; Enter puts it in the middle, closes a path'],
  ['A D', 'draw an area to follow, put a tracker'],
  ['1 – 8', 'select a region'],
  ['E', 'switch the region on, off'],
  ['F', 'follow or propagate both ways; with Shift forwards, with Alt backwards'],
  ['G', 'take the shape as right here and follow on from it'],
  ['L', 'grid laid into the motion'],
  ['. ,', 'follow or propagate one frame forwards, backwards'],
  ['Alt + arrows', 'move the shape or the chosen points by a pixel; with Shift ten'],
  ['C V', 'chosen points of a path: corner, curve'],
  ['U', 'split the shot before this frame; [ trims its start, ] trims its end'],
  ['K', 'set by hand here, or take this keyframe in hand; Shift copies it here, Alt moves it here'],
  ['Ctrl+C, Ctrl+V', 'copy the shape, paste it into the selected region'],
  ['X', 'take back what was set by hand on this frame'],
  ['Delete', 'remove chosen points, else the region or the motion'],
  ['+ − 0', 'zoom in, out, fit'],
  ['Ctrl+Z', 'undo; with Shift redo'],
  ['Esc', 'leave drawing, a choice of points, a motion, a field'],
  ['?', 'this list'],
]

function onKey(event: KeyboardEvent) {
  if (event.key === '?' && !isTyping(event)) open.value = true
}
onMounted(() => window.addEventListener('keydown', onKey))
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
</script>

<template>
  <button class="plainbutton" type="button" title="Keys (?)" @click="open = true">Keys</button>
  <Sheet v-if="open" title="Keys" :width="520" @close="open = false">
    <dl class="keys">
      <template v-for="[key, does] in keys" :key="key">
        <dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ does }}</dd>
      </template>
    </dl>
  </Sheet>
</template>

<style scoped>
.keys {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 4px 16px;
}
kbd {
  padding: 1px 6px;
  border: 1px solid var(--control);
  border-radius: 4px;
  font: inherit;
}
</style>
