<script setup lang="ts">
// How each region is known over its shot, and each person who was found.
import { computed } from 'vue'
import type { RegionCoverage } from '../api/types'
import { useProof } from '../state/proof'

const emit = defineEmits<{ show: [frame: number, region: string] }>()
const proof = useProof()
const STATES = [
  { state: 'set', words: 'by hand' },
  { state: 'sure', words: 'followed or found' },
  { state: 'guess', words: 'guessed' },
  { state: 'empty', words: 'nothing' },
] as const
const people = computed(() => proof.found?.people ?? [])
const total = (one: RegionCoverage) => Object.values(one.frames).reduce((sum, count) => sum + count, 0)
const share = (one: RegionCoverage, state: string) => (100 * (one.frames[state] ?? 0)) / Math.max(total(one), 1)
const said = (one: RegionCoverage) =>
  STATES.filter(({ state }) => one.frames[state])
    .map(({ state, words }) => `${words} on ${one.frames[state]}`)
    .join(', ')
</script>

<template>
  <section aria-labelledby="coverage">
    <h2 id="coverage">How it is covered</h2>
    <p v-if="!proof.regions.length" class="soft">No region does anything yet.</p>
    <ul class="regions" aria-label="Coverage of regions">
      <li v-for="one in proof.regions" :key="one.region">
        <button class="plainbutton which" type="button" @click="emit('show', one.sequence_frame, one.region)">
          <strong class="fade">{{ one.name }}</strong>
          <span class="soft fade" :title="one.shot_name">{{ one.shot_name }}</span>
          <span class="bar" aria-hidden="true"
            ><i v-for="{ state } in STATES" :key="state" :class="state" :style="{ width: `${share(one, state)}%` }"
          /></span>
          <span class="soft number said">{{ said(one) }}</span>
        </button>
      </li>
    </ul>
    <table v-if="people.length" aria-label="People found">
      <thead>
        <tr>
          <th>Face</th>
          <th>Widest</th>
          <th>Frames</th>
          <th></th>
          <th>seen on</th>
          <th>guessed on</th>
          <th>by hand on</th>
          <th>open on</th>
        </tr>
      </thead>
      <tbody class="number">
        <tr v-for="one in people" :key="`${one.region} ${one.name}`">
          <td>{{ one.name }}</td>
          <td>{{ Math.round(one.width) }} px</td>
          <td>{{ one.first }}–{{ one.last }}</td>
          <td>{{ one.covered ? 'covered' : 'left open' }}</td>
          <td>{{ one.found }}</td>
          <td>{{ one.guessed }}</td>
          <td>{{ one.by_hand }}</td>
          <td :class="{ bad: one.bare }">{{ one.bare }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.which {
  display: grid;
  grid-template-columns: 140px 170px minmax(60px, 160px) minmax(120px, 1fr);
  gap: 12px;
  width: 100%;
  justify-content: start;
  height: auto;
  min-height: 24px;
  text-align: left;
}
.said {
  white-space: normal;
}
.bar {
  display: flex;
  height: 10px;
  background: var(--field);
  border: 1px solid var(--line);
}
.bar i {
  display: block;
  height: 100%;
}
.set {
  background: var(--text);
}
.sure {
  background: var(--soft);
}
.guess {
  background: repeating-linear-gradient(135deg, var(--soft) 0 2px, transparent 2px 5px);
}
table {
  margin-top: 12px;
  border-collapse: collapse;
}
th {
  font-weight: normal;
  color: var(--soft);
}
th,
td {
  text-align: left;
  padding: 3px 20px 3px 6px;
  border-bottom: 1px solid var(--line);
}
</style>
