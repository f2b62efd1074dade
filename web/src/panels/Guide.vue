<script setup lang="ts">
// What a recipe says is to be done next, step by step.
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import { useTool } from '../state/tool'
import { useLooks } from '../state/looks'

const tools = useTool()
const state = useLooks()
const next = computed(() => state.recipes.find((one) => one.id === state.guide?.then)?.recipe ?? null)
const putting = computed(() => tools.draw === 'spot')

function put() {
  if (next.value) tools.toggle({ draw: 'spot', recipe: next.value })
}
</script>

<template>
  <section v-if="state.guide" class="guide" :aria-label="`${state.guide.name}: what comes next`">
    <strong>{{ state.guide.name }}</strong>
    <p>{{ state.guide.after }}</p>
    <div class="acts">
      <NButton v-if="next" size="small" type="primary" @click="put">{{
        putting ? 'Click in the picture …' : `Put a ${next.name.toLowerCase()}`
      }}</NButton>
      <NButton
        size="small"
        @click="
          () => {
            state.guide = null
            tools.layDown()
          }
        "
        >Done</NButton
      >
    </div>
  </section>
</template>

<style scoped>
.guide {
  display: grid;
  gap: 6px;
  padding: 10px 12px;
  border-bottom: 1px solid var(--line);
  border-left: 3px solid var(--accent);
  background: var(--raised);
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
