<script setup lang="ts">
// A colour that is dragged, or typed and confirmed; what is seen while it is dragged is not meant yet.
import { NColorPicker } from 'naive-ui'
import { ref, watch } from 'vue'

const props = defineProps<{ label: string; value: string }>()
const emit = defineEmits<{ trying: [value: string]; set: [value: string] }>()
const shown = ref(props.value)
watch(
  () => props.value,
  (value) => (shown.value = value),
)
const plain = (value: string) => value.slice(0, 7).toLowerCase()

function take(value: string) {
  if (!/^#[0-9a-f]{6}$/.test(plain(value))) return
  shown.value = plain(value)
  emit('trying', shown.value)
}

/** It is meant when it is let go, confirmed, or the panel is left. */
function mean() {
  if (shown.value !== plain(props.value)) emit('set', shown.value)
}
</script>

<template>
  <NColorPicker
    size="small"
    :value="shown"
    :modes="['hex']"
    :show-alpha="false"
    :aria-label="label"
    :title="label"
    @update:value="take"
    @complete="mean"
    @update:show="(open: boolean) => open || mean()"
  />
</template>
