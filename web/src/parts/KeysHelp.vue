<script setup lang="ts">
// The keys of the screen, in columns.
import { computed } from 'vue'
import { GROUPS, signOf, useActions, type Action } from '../state/actions'
import Sheet from './Sheet.vue'

const emit = defineEmits<{ close: [] }>()
const actions = useActions()
const groups = computed(() =>
  GROUPS.map((name) => ({
    name,
    actions: actions.all.filter((one) => one.group === name && one.keys && one.shown !== ''),
  })).filter((one) => one.actions.length),
)
const signs = (one: Action) => one.shown ?? one.keys?.map(signOf).join(', ')
</script>

<template>
  <Sheet title="Keys" :width="1120" @close="emit('close')">
    <div class="keys">
      <section v-for="group in groups" :key="group.name">
        <h3>{{ group.name }}</h3>
        <dl>
          <template v-for="one in group.actions" :key="one.says">
            <dt>
              <kbd>{{ signs(one) }}</kbd>
            </dt>
            <dd>{{ one.says }}</dd>
          </template>
        </dl>
      </section>
    </div>
  </Sheet>
</template>

<style scoped>
.keys {
  columns: 320px;
  column-gap: 24px;
  max-height: calc(100vh - 140px);
  overflow: auto;
}
section {
  margin-bottom: 8px;
}
h3 {
  margin-bottom: 4px;
  break-after: avoid;
}
dl {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr);
  gap: 1px 12px;
  line-height: 1.3;
  margin: 0;
}
kbd {
  padding: 0 5px;
}
dt,
dd {
  break-inside: avoid;
}
</style>
