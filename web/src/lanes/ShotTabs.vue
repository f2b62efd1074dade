<script setup lang="ts">
// The shots of the film, one after the other; the one that is worked on is whole and in sight.
import { computed, nextTick, ref, watch } from 'vue'
import StandingMark from '../parts/StandingMark.vue'
import { STANDINGS, useFilm } from '../state/film'
import { shotsOf } from '../state/shots'
import { useStores } from '../state/stores'

const { session, selection } = useStores()
const film = useFilm()
const row = ref<HTMLElement>()
const marks = computed(() => new Map((film.shots ?? []).map((one) => [one.shot, one.standing])))
const strip = computed(() => {
  const names = new Map(shotsOf(session.document).map((shot) => [shot.id, shot.name]))
  const spans = [...(session.state?.spans ?? [])].sort((a, b) => a.start - b.start)
  return spans.map((one, index) => ({ ...one, name: `${index + 1} · ${names.get(one.shot) ?? ''}` }))
})

/** Work on a shot from its beginning; one that lies above or beneath the present one is shown where the playhead is. */
function reach(one: { shot: string; start: number; length: number }) {
  const here = one.start <= selection.frame && selection.frame < one.start + one.length
  if (!here || selection.shot?.id === one.shot) selection.go(one.start)
  selection.itemId = one.shot
}

watch(
  () => selection.shot?.id,
  async () => {
    await nextTick()
    row.value?.querySelector('.here')?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  },
  { immediate: true },
)
</script>

<template>
  <div ref="row" class="shots" role="group" aria-label="Shots">
    <button
      v-for="one in strip"
      :key="one.shot"
      class="shot fade"
      type="button"
      :class="{ here: one.shot === selection.shot?.id }"
      :aria-pressed="one.shot === selection.shot?.id"
      :title="[one.name, STANDINGS[marks.get(one.shot)!]].filter(Boolean).join(', ')"
      @pointerdown.stop
      @click="reach(one)"
    >
      <StandingMark v-if="marks.get(one.shot)" aria-hidden="true" :standing="marks.get(one.shot)!" />{{ one.name }}
    </button>
  </div>
</template>

<style scoped>
.shots {
  display: flex;
  gap: 2px;
  height: 22px;
  overflow-x: auto;
  scrollbar-width: none;
}
.shot {
  all: unset;
  flex: 0 1 auto;
  min-width: 96px;
  max-width: 260px;
  box-sizing: border-box;
  padding: 0 8px;
  font-size: 12px;
  line-height: 22px;
  background: var(--panel);
  color: var(--soft);
  cursor: pointer;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.shot :deep(.mark) {
  margin-right: 6px;
}
.shot.here {
  flex-shrink: 0;
  color: var(--text);
  background: var(--raised);
  box-shadow: inset 0 -2px 0 var(--accent);
}
.shot:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
</style>
