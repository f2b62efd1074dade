<script setup lang="ts">
// Where the same thing was found in other shots: taken one by one or all at once, or left.
import { NButton, NCheckbox } from 'naive-ui'
import { computed, ref } from 'vue'
import Running from '../panels/Running.vue'
import { useFilm } from '../state/film'
import { useStores } from '../state/stores'

const { session } = useStores()
const film = useFilm()
const left = ref(new Set<number>()) // finds that are ticked off
const open = computed(() => film.alike?.finds.filter((one) => !one.taken) ?? [])
const chosen = computed(() => open.value.filter((one) => !left.value.has(one.number)))

function tick(number: number, on: boolean) {
  const next = new Set(left.value)
  if (on) next.delete(number)
  else next.add(number)
  left.value = next
}

const picture = (one: { sequence_frame: number; x: number; y: number; side: number }) =>
  `/api/projects/${session.id}/small/${one.sequence_frame}.jpg?x=${one.x}&y=${one.y}&side=${Math.max(one.side, 8)}&of=${film.version}`
</script>

<template>
  <section class="alike" aria-label="The same thing in other shots">
    <template v-if="film.looking">
      <span class="fade">{{ film.looking.label }}</span>
      <Running :of="film.looking.subject ?? undefined" :label="film.looking.label" />
    </template>
    <template v-else-if="film.alike">
      <div class="line">
        <h3 class="fade">
          {{ film.alike.name }}:
          {{
            film.alike.finds.length
              ? `found ${film.alike.finds.length} times in other shots`
              : 'not found in any other shot'
          }}
        </h3>
        <NButton
          v-if="open.length"
          size="small"
          :disabled="!chosen.length"
          @click="film.take(chosen.map((one) => one.number))"
          >{{ chosen.length === open.length ? `Take all ${open.length}` : `Take ${chosen.length}` }}</NButton
        >
      </div>
      <ul>
        <li v-for="one in film.alike.finds" :key="one.number">
          <NCheckbox
            size="small"
            :checked="!one.taken && !left.has(one.number)"
            :disabled="one.taken"
            :aria-label="`Take it in ${one.shot_name}`"
            @update:checked="(on: boolean) => tick(one.number, on)"
          />
          <img :src="picture(one)" :alt="`${film.alike.name} in ${one.shot_name}`" loading="lazy" />
          <span class="soft fade" :title="one.shot_name">{{ one.taken ? 'taken · ' : '' }}{{ one.shot_name }}</span>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.alike {
  display: grid;
  gap: 8px;
  margin-bottom: 14px;
  padding: 10px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--panel);
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
}
ul {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
}
li {
  display: grid;
  width: 96px;
  position: relative;
}
li :deep(.n-checkbox) {
  position: absolute;
  left: 2px;
  top: 0;
  min-width: 28px;
  padding-left: 4px;
}
img {
  width: 96px;
  height: 96px;
  object-fit: cover;
  border-radius: 4px;
  background: var(--field);
}
</style>
