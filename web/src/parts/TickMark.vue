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

<style scoped></style>
