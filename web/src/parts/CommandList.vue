<script setup lang="ts">
// Every action that can be done now, found by its words.
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { matching, signOf, useActions, type Action } from '../state/actions'
import Sheet from './Sheet.vue'

const emit = defineEmits<{ close: [] }>()
const actions = useActions()
const typed = ref('')
const at = ref(0)
const list = ref<HTMLElement>()
const search = ref<HTMLInputElement>()
// As it was when the list was opened: what is listed does not change under the hand.
const possible = actions.all.filter((one) => !one.byKey && (one.can?.() ?? true))
const found = computed(() => matching(possible, typed.value))

onMounted(() => nextTick(() => search.value?.focus()))
watch(typed, () => (at.value = 0))
watch(at, () => nextTick(() => list.value?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' })))

function step(by: number) {
  const count = found.value.length
  if (count) at.value = (at.value + by + count) % count
}

function run(action: Action | undefined) {
  if (!action) return
  emit('close')
  // The sheet gives the focus back first.
  void nextTick(() => action.does())
}
</script>

<template>
  <Sheet title="Commands" :width="560" @close="emit('close')">
    <input
      ref="search"
      v-model="typed"
      class="textfield"
      type="text"
      role="combobox"
      aria-expanded="true"
      aria-controls="commands"
      aria-label="Search for a command"
      placeholder="What is to be done?"
      autocomplete="off"
      :aria-activedescendant="found.length ? `command-${at}` : undefined"
      @keydown.down.prevent="step(1)"
      @keydown.up.prevent="step(-1)"
      @keydown.enter.prevent="run(found[at])"
    />
    <ul id="commands" ref="list" class="commands" role="listbox" aria-label="Commands">
      <li
        v-for="(one, index) in found"
        :id="`command-${index}`"
        :key="index"
        role="option"
        :aria-selected="index === at"
        @click="run(one)"
        @pointermove="at = index"
      >
        <span class="soft">{{ one.group }}</span>
        <span>{{ one.says }}</span>
        <kbd v-if="one.keys">{{ signOf(one.keys[0]) }}</kbd>
      </li>
    </ul>
    <p v-if="!found.length" class="soft" role="status">Nothing that can be done now is called that.</p>
  </Sheet>
</template>

<style scoped>
.commands {
  max-height: min(420px, 55vh);
  margin-top: 8px;
  overflow: auto;
}
.commands li {
  display: grid;
  grid-template-columns: 148px minmax(0, 1fr) max-content;
  align-items: center;
  gap: 8px;
  padding: 4px 8px;
  border-radius: 4px;
  cursor: pointer;
}
.commands li[aria-selected='true'] {
  background: var(--raised);
  box-shadow: inset 2px 0 0 var(--accent);
}
</style>
