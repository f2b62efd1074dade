<script setup lang="ts">
// Every look by what it is for.
import { computed } from 'vue'
import { useLooks, type Side } from '../../state/looks'

const props = defineProps<{ side: Side }>()
const emit = defineEmits<{ choose: [kind: string] }>()
const state = useLooks()
const GROUPS = { Hide: 'Hide', Colour: 'Colour', Detail: 'Detail', Cover: 'Cover, take away' } as const
const groups = computed(() =>
  Object.entries(GROUPS).map(([group, title]) => ({
    title,
    kinds: state.kinds
      .filter((one) => one.group === group && (props.side === 'inside' || !one.only_inside))
      .sort((a, b) => a.label.localeCompare(b.label)),
  })),
)
</script>

<template>
  <div class="chooser" role="group" aria-label="Looks">
    <section v-for="group in groups" :key="group.title">
      <h3>{{ group.title }}</h3>
      <button
        v-for="one in group.kinds"
        :key="one.kind"
        class="plainbutton one"
        type="button"
        :title="one.about"
        @click="emit('choose', one.kind)"
      >
        {{ one.label }}
      </button>
    </section>
  </div>
</template>

<style scoped>
.chooser {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(128px, 1fr));
  gap: 0 16px;
  width: min(640px, calc(100vw - 64px));
  max-height: calc(100vh - 96px);
  overflow: auto;
}
section {
  display: grid;
  align-content: start;
}
h3 {
  padding: 2px 8px 4px;
  color: var(--soft);
}
.one {
  justify-content: flex-start;
  padding: 0 8px;
  height: 28px;
}
</style>
