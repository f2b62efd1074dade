<script setup lang="ts">
import { computed } from 'vue'
import { useShelf } from '../state/shelf'
import { dashes } from './pattern'

const props = defineProps<{ colour: number }>()
const shelf = useShelf()
const tint = computed(() => shelf.facts?.region_colours[props.colour] ?? '#888')
</script>

<template>
  <svg class="swatch" viewBox="0 0 26 10" width="26" height="10" aria-hidden="true">
    <line x1="1" y1="5" x2="25" y2="5" stroke="#000" stroke-width="6" />
    <line x1="1" y1="5" x2="25" y2="5" :stroke="tint" stroke-width="4" :stroke-dasharray="dashes(colour).join(' ')" />
  </svg>
</template>

<style scoped>
.swatch {
  flex: none;
}
</style>
