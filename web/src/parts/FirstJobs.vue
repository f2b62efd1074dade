<script setup lang="ts">
// The three first jobs, each with what comes of it.
import colour from '../assets/start-colour.jpg'
import faces from '../assets/start-faces.jpg'
import title from '../assets/start-title.jpg'
import { STEPS, WALKS, type Walk } from '../state/walk'

defineProps<{ busy: boolean }>()
const emit = defineEmits<{ begin: [which: Walk] }>()
const PICTURES: Record<Walk, string> = { 'hide faces': faces, 'one in colour': colour, 'title behind': title }
</script>

<template>
  <ul class="starts" aria-label="First jobs">
    <li v-for="one in WALKS" :key="one">
      <button class="start" type="button" :disabled="busy" @click="emit('begin', one)">
        <img :src="PICTURES[one]" alt="" />
        <strong>{{ STEPS[one].name }}</strong>
        <span class="soft">{{ STEPS[one].about }}</span>
      </button>
    </li>
  </ul>
</template>

<style scoped>
.starts {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 320px));
  gap: 16px;
  margin-top: 12px;
}
.start {
  all: unset;
  box-sizing: border-box;
  display: grid;
  align-content: start;
  gap: 2px;
  width: 100%;
  height: 100%;
  padding: 8px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--panel);
  text-align: left;
  cursor: pointer;
}
.start:disabled {
  opacity: 0.6;
  cursor: default;
}
.start:hover:enabled,
.start:focus-visible {
  border-color: var(--accent);
}
img {
  display: block;
  width: 100%;
  aspect-ratio: 16 / 9;
  object-fit: cover;
  border-radius: 4px;
  margin-bottom: 4px;
}
</style>
