<script setup lang="ts">
// Faces as small pictures that can be dragged, or given to somebody else by a menu.
import { NDropdown } from 'naive-ui'
import type { FaceInfo } from '../api/types'
import { useFilm } from '../state/film'

defineProps<{ faces: FaceInfo[]; of: string; owners: (face: FaceInfo) => { key: string; label: string }[] }>()
const emit = defineEmits<{ lift: [face: FaceInfo | null] }>()
const film = useFilm()

const standing = (face: FaceInfo) =>
  `${face.shot_name}: ${face.hidden ? 'hidden' : 'left as it is'}${face.unsure ? ', not sure yet' : ''}`

function lift(event: DragEvent, face: FaceInfo) {
  event.dataTransfer?.setData('text/plain', face.shot_name) // without which nothing is dragged in some browsers
  // What appears while it is dragged comes with the next picture, so that the drag is not broken off.
  requestAnimationFrame(() => emit('lift', face))
}
</script>

<template>
  <ul class="faces">
    <li v-for="face in faces" :key="`${face.shot} ${face.part} ${face.track}`">
      <NDropdown
        trigger="click"
        size="small"
        :options="owners(face)"
        @select="(to: string) => film.move(face, to || null)"
      >
        <button
          class="face"
          type="button"
          draggable="true"
          :class="{ bare: !face.hidden, unsure: face.unsure }"
          :title="`${standing(face)}. Drag it to another person, or press.`"
          :aria-label="`${of} in ${face.shot_name}`"
          @dragstart="lift($event, face)"
          @dragend="emit('lift', null)"
        >
          <img :src="film.picture(face)" alt="" loading="lazy" draggable="false" />
        </button>
      </NDropdown>
    </li>
  </ul>
</template>

<style scoped>
.faces {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.face {
  all: unset;
  /* Unset takes away what draggable says. */
  -webkit-user-drag: element;
  position: relative;
  display: block;
  width: 44px;
  height: 44px;
  border-radius: 4px;
  overflow: hidden;
  cursor: grab;
  background: var(--field);
}
.face img {
  display: block;
  width: 100%;
  height: 100%;
  object-fit: cover;
}
.face:focus-visible {
  outline: 2px solid var(--accent);
}
/* Hidden is hatched over, as it is in the film; left is bare. */
.face:not(.bare)::after {
  content: '';
  position: absolute;
  inset: auto 0 0 0;
  height: 8px;
  background: repeating-linear-gradient(135deg, var(--text) 0 2px, var(--ground) 2px 4px);
}
.face.unsure::before {
  content: '?';
  position: absolute;
  right: 2px;
  top: 0;
  padding: 0 3px;
  border-radius: 3px;
  background: var(--ground);
  font-weight: 700;
}
</style>
