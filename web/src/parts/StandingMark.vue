<script setup lang="ts">
// How a shot stands, as its lanes would show it: solid, hatched, with a notch, dotted, or nothing.
import { STANDINGS, type Standing } from '../state/film'

defineProps<{ standing: Standing }>()
</script>

<template>
  <i class="mark" :class="standing" role="img" :aria-label="STANDINGS[standing]" :title="STANDINGS[standing]"></i>
</template>

<style scoped>
.mark {
  position: relative;
  display: inline-block;
  flex: none;
  width: 16px;
  height: 8px;
  box-sizing: border-box;
  border: 1px solid transparent;
}
.whole,
.doubts {
  background: var(--soft);
}
.guesses {
  border-color: var(--soft);
  background: repeating-linear-gradient(135deg, var(--soft) 0 2px, transparent 2px 5px);
}
.open {
  border: 1px dashed var(--bad);
}
.doubts::after {
  content: '';
  position: absolute;
  left: 4px;
  top: -1px;
  border: 4px solid transparent;
  border-top-color: var(--doubt);
}
.untouched {
  height: 0;
  border-top: 1px solid var(--control);
}
</style>
