<script setup lang="ts">
// A name that looks like a title until it is pointed at; changed when it is left or entered.
import { ref } from 'vue'

const props = defineProps<{ label: string; value: string }>()
const emit = defineEmits<{ set: [name: string] }>()
const typed = ref<string | null>(null)

function enter(text: string) {
  typed.value = null
  const name = text.trim()
  if (name && name !== props.value) emit('set', name)
}
</script>

<template>
  <input
    class="name"
    maxlength="120"
    :aria-label="label"
    :title="value"
    :value="typed ?? value"
    @input="typed = ($event.target as HTMLInputElement).value"
    @change="enter(($event.target as HTMLInputElement).value)"
    @keydown.enter="($event.target as HTMLInputElement).blur()"
  />
</template>

<style scoped>
.name {
  min-width: 0;
  height: 26px;
  padding: 0 6px;
  border: 1px solid transparent;
  border-radius: 4px;
  background: transparent;
  color: inherit;
  font: inherit;
  font-weight: 600;
  text-overflow: ellipsis;
}
.name:hover,
.name:focus {
  border-color: var(--control);
  background: var(--field);
}
</style>
