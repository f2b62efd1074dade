<script setup lang="ts">
// Clips that the project uses and that are not on the shelf any more, each with a way to put another in its place.
import { NSelect } from 'naive-ui'
import { computed } from 'vue'
import { useSession } from '../state/session'
import { useShelf } from '../state/shelf'

const session = useSession()
const shelf = useShelf()
const gone = computed(() => session.state?.missing ?? [])
const clips = computed(() => shelf.pictured.map((one) => ({ value: one.id, label: one.name })))
</script>

<template>
  <ul v-if="gone.length" class="gone" aria-label="Clips that are missing">
    <li v-for="one in gone" :key="one.id">
      <span>{{ one.name }} is not on the shelf. All that was done with it is kept. Import it once more, or use</span>
      <NSelect
        size="tiny"
        class="which"
        :value="null"
        :options="clips"
        placeholder="another clip"
        :aria-label="`Clip in the place of ${one.name}`"
        @update:value="(to: string) => session.relink(one.id, to)"
      />
    </li>
  </ul>
</template>

<style scoped>
.gone {
  z-index: 2; /* above the shapes, which take every press */
  position: absolute;
  left: 12px;
  right: 12px;
  top: 12px;
  display: grid;
  gap: 6px;
  padding: 10px 12px;
  border: 1px solid var(--bad);
  border-radius: 4px;
  background: var(--panel);
}
li {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.which {
  width: 220px;
}
</style>
