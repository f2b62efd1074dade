<script setup lang="ts">
// What was found in a shot, one after the other: its picture, where it is, and whether it is covered.
import { NButton, NCheckbox, NDropdown } from 'naive-ui'
import { computed } from 'vue'
import { useFound } from '../state/found'
import { useWork } from '../state/work'
import { useStores } from '../state/stores'
import Running from './Running.vue'

defineProps<{
  what: 'face' | 'line'
  unit: string
  none: string
  menu?: (name: string) => { key: string; label: string; children?: { key: string; label: string }[] }[]
}>()
const emit = defineEmits<{ act: [key: string, name: string] }>()
const { selection, lanes } = useStores()
const found = useFound()
const work = useWork()
const running = computed(() => work.on(found.part?.id))
</script>

<template>
  <Running :of="found.part?.id" label="Finding" />
  <p v-if="!running && !found.list" class="soft">
    Not searched with these settings yet.
    <NButton size="tiny" type="primary" @click="found.search()">Find them</NButton>
  </p>
  <p v-else-if="found.list && !found.list.length" class="soft">{{ none }}</p>
  <div v-if="found.list?.length" class="choice">
    <NButton size="tiny" @click="found.choose(`Cover all ${what}s`, 'all', [])">All</NButton>
    <NButton size="tiny" @click="found.choose(`Leave all ${what}s open`, 'only', [])">None</NButton>
    <NCheckbox
      v-if="what === 'face'"
      v-model:checked="found.marked"
      size="small"
      title="Their numbers on the picture, with ovals as they were found, eyes and mouths"
      >Numbers</NCheckbox
    >
  </div>
  <ul v-if="found.list?.length" class="found" :aria-label="what === 'face' ? 'Faces found' : 'Lines found'">
    <li v-for="one in found.list" :key="one.name">
      <NCheckbox
        size="small"
        :checked="found.covered(one)"
        :aria-label="`Cover ${what} ${one.name}`"
        @update:checked="(on: boolean) => found.cover(one.name, on)"
      />
      <button
        class="plainbutton which"
        type="button"
        :title="`Go to frame ${one.best}, where it is seen best`"
        @click="selection.go(lanes.sequenceFrame(one.best))"
      >
        <img v-if="found.picture(one)" :src="found.picture(one)" :alt="`${what} ${one.name}`" :class="what" />
        <i v-else class="blank" :class="what"></i>
        <span class="fade"
          >{{ one.words || one.name }}
          <span class="soft number">{{ Math.round(one.size) }} {{ unit }}, {{ one.first }}–{{ one.last }}</span></span
        >
      </button>
      <button
        class="plainbutton only"
        type="button"
        :aria-label="`Only ${what} ${one.name}`"
        :title="`Cover only ${what} ${one.name}`"
        @click="found.choose(`Cover only ${what} ${one.name}`, 'only', [one.name])"
      >
        only
      </button>
      <span v-if="one.locked" class="soft" title="It stays as it is">locked</span>
      <NDropdown
        v-if="menu"
        trigger="click"
        size="small"
        :options="menu(one.name)"
        @select="(key: string) => emit('act', key, one.name)"
      >
        <button class="plainbutton" type="button" :aria-label="`More for ${what} ${one.name}`">more</button>
      </NDropdown>
    </li>
  </ul>
</template>

<style scoped>
.found {
  max-height: 190px;
  overflow-y: auto;
}
.found li {
  display: flex;
  align-items: center;
  gap: 6px;
}
.which {
  display: flex;
  justify-content: flex-start;
  align-items: center;
  gap: 8px;
  flex: 1;
  min-width: 0;
  height: 36px;
  text-align: left;
}
.which img {
  border-radius: 3px;
  display: block;
  object-fit: cover;
}
.choice {
  display: flex;
  align-items: center;
  gap: 6px;
}
.only {
  padding: 0 4px;
}
.blank {
  background: var(--field);
  border-radius: 3px;
}
.blank.face {
  width: 32px;
  height: 32px;
}
.blank.line {
  width: 64px;
  height: 24px;
}
.which img.face {
  width: 32px;
  height: 32px;
}
.which img.line {
  width: 64px;
  height: 24px;
}
</style>
