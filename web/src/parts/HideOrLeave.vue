<script setup lang="ts">
// Hidden or left as it is.
defineProps<{ label: string; hidden: boolean }>()
const emit = defineEmits<{ choose: [hide: boolean] }>()
</script>

<template>
  <span class="either" role="group" :aria-label="label">
    <button class="plainbutton" type="button" :aria-pressed="hidden" @click="emit('choose', true)">Hide</button>
    <button class="plainbutton" type="button" :aria-pressed="!hidden" @click="emit('choose', false)">Leave</button>
  </span>
</template>

<style scoped>
.either {
  display: inline-flex;
}
</style>
