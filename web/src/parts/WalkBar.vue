<script setup lang="ts">
// The walk through a first job: what to do next. It can be left, and taken up again from the top bar.
import { NButton } from 'naive-ui'
import { useSession } from '../state/session'
import { STEPS, useWalk, WALKS } from '../state/walk'

const session = useSession()
const walk = useWalk()
</script>

<template>
  <section v-if="walk.place && !walk.place.left" class="walk" aria-label="Help with the first job">
    <template v-if="!walk.walk">
      <p>What is it for?</p>
      <NButton v-for="one in WALKS" :key="one" size="small" @click="walk.begin(session.id!, one)">{{
        STEPS[one].name
      }}</NButton>
    </template>
    <template v-else>
      <strong>{{ walk.walk.name }}</strong>
      <p role="status">
        <template v-if="walk.step">
          <span class="soft number">{{ walk.place.at + 1 }} of {{ walk.walk.steps.length }}</span>
          {{ walk.step.say }}
        </template>
        <template v-else>That is all. The finished file is under Files, on the Export screen.</template>
      </p>
    </template>
    <NButton size="small" quaternary @click="walk.leave()">{{
      walk.walk && !walk.step ? 'Close' : walk.walk ? 'Leave' : 'No help'
    }}</NButton>
  </section>
</template>

<style scoped>
.walk {
  display: flex;
  align-items: center;
  gap: 12px;
  min-height: 36px;
  padding: 2px 12px;
  background: var(--raised);
  border-bottom: 1px solid var(--line);
  box-shadow: inset 3px 0 0 var(--accent);
}
p {
  flex: 1;
  margin: 0;
}
</style>
