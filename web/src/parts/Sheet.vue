<script setup lang="ts">
// A sheet over the screen with a heading and a way to close it.
import { NModal } from 'naive-ui'
import { nextTick, onMounted, ref } from 'vue'

defineProps<{ title: string; width: number }>()
const emit = defineEmits<{ close: [] }>()

// The focus goes into the sheet, and with its end back to where it was.
const heading = ref<HTMLElement>()
onMounted(() => nextTick(() => heading.value?.focus()))
</script>

<template>
  <NModal
    show
    preset="card"
    :closable="false"
    :auto-focus="false"
    :aria-label="title"
    :style="{ width: `${width}px`, maxWidth: 'calc(100vw - 32px)' }"
    @update:show="emit('close')"
  >
    <header>
      <h2 ref="heading" class="fade" tabindex="-1">{{ title }}</h2>
      <button class="plainbutton" type="button" title="Close (Esc)" @click="emit('close')">Close</button>
    </header>
    <slot />
    <template v-if="$slots.action" #action><slot name="action" /></template>
  </NModal>
</template>

<style scoped>
h2:focus {
  outline: none;
}
header {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 16px;
  margin-bottom: 12px;
}
</style>
