<script setup lang="ts">
// Clips that are being protected, and what came of those that are done: what needs a look first.
import { NProgress } from 'naive-ui'
import type { ProtectedFilm } from '../api/types'
import { useProtected } from '../state/protected'
import { standing, useWork } from '../state/work'

const films = useProtected()
const work = useWork()

function said(film: ProtectedFilm): string {
  if (film.work.state === 'failed') return film.work.problem ?? 'It could not be made.'
  if (film.work.state === 'stopped') return 'stopped'
  if (film.clean) return 'clean'
  const parts = [
    film.gaps ? `${film.gaps} ${film.gaps === 1 ? 'place is' : 'places are'} open` : '',
    film.remarks ? `${film.remarks} ${film.remarks === 1 ? 'thing' : 'things'} could still identify somebody` : '',
  ]
  return parts.filter(Boolean).join(', ')
}
const busy = (film: ProtectedFilm) => film.work.state === 'running' || film.work.state === 'waiting'
</script>

<template>
  <ul class="films" aria-label="Protected clips">
    <li v-for="film in films.films" :key="film.project">
      <RouterLink class="name fade" :to="`/project/${film.project}`" :title="film.name">{{ film.name }}</RouterLink>
      <template v-if="busy(film)">
        <NProgress
          type="line"
          :show-indicator="false"
          :height="4"
          :percentage="film.work.total ? (100 * film.work.done) / film.work.total : 0"
          :aria-label="film.work.label"
        />
        <span class="soft number">{{ standing(film.work) }}</span>
        <button class="plainbutton" type="button" @click="work.stop(film.work.id)">Stop</button>
      </template>
      <template v-else>
        <span class="fade" :class="film.clean ? 'soft' : 'bad'" :title="said(film)">{{ said(film) }}</span>
        <a v-if="film.work.state === 'done'" class="plainbutton" :href="`/api/exports/${film.work.id}/file`"
          >Download</a
        >
        <RouterLink v-if="film.work.state === 'done'" class="plainbutton" :to="`/project/${film.project}/proof`"
          >Proof</RouterLink
        >
      </template>
    </li>
  </ul>
</template>

<style scoped>
.films {
  max-height: 220px;
  overflow: auto;
}
.films li {
  display: grid;
  grid-template-columns: 260px minmax(120px, 1fr) auto auto;
  align-items: center;
  gap: 12px;
  min-height: 28px;
  border-bottom: 1px solid var(--line);
}
.name {
  color: var(--text);
}
</style>
