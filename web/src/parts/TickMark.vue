<script lang="ts">
export type Tick = 'here' | 'keyed' | 'plain'
</script>

<script setup lang="ts">
// Whether something is set by hand on this frame; a press sets it, or takes it back.
defineProps<{ label: string; tick: Tick }>()
const emit = defineEmits<{ tick: [] }>()
const TICKS = {
  here: 'set by hand on this frame; press to take it back',
  keyed: 'changes over time; press to set it on this frame',
  plain: 'the same on every frame; press to set it on this frame',
}
</script>

<template>
  <button
    class="tick"
    type="button"
    :class="tick"
    :aria-pressed="tick === 'here'"
    :aria-label="`${label} by hand on this frame`"
    :title="`${label}: ${TICKS[tick]}`"
    @click="emit('tick')"
  ></button>
</template>

<style scoped>
.tick {
  all: unset;
  position: relative;
  flex: none;
  width: 24px;
  height: 24px;
  margin: 0 -9px 0 -10px;
  cursor: pointer;
}
.tick::before {
  content: '';
  position: absolute;
  left: 10px;
  top: 6px;
  width: 3px;
  height: 12px;
  box-sizing: border-box;
  border: 1px solid var(--control);
  border-radius: 1px;
}
.tick.keyed::before {
  border-color: var(--text);
}
.tick.here::before {
  background: var(--text);
  border-color: var(--text);
}
.tick:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: -3px;
}
</style>
