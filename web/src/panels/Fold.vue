<script setup lang="ts">
import { useStorage } from '@vueuse/core'
import { provide } from 'vue'
import { FOLD } from '../parts/fold'
import { useHelp } from '../state/help'

// `help` is the page of the guide that is about it, where that is another one than of what is selected.
const props = defineProps<{ title: string; note?: string; closed?: boolean; help?: string }>()
const guide = useHelp()
provide(FOLD, props.title)
// What begins closed is remembered apart from what begins open.
const open = useStorage(`cravo.fold.${props.title}${props.closed ? '.more' : ''}`, !props.closed)
</script>

<template>
  <section class="fold">
    <h3>
      <button type="button" class="title" :aria-expanded="open" @click="open = !open">
        <svg viewBox="0 0 8 8" width="8" height="8" aria-hidden="true" :class="{ open }">
          <path d="M2 0l4 4-4 4z" fill="currentColor" />
        </svg>
        {{ title }}
        <span v-if="note" class="soft fade">{{ note }}</span>
      </button>
      <button
        type="button"
        class="plainbutton soft"
        :aria-label="`Guide: ${title}`"
        title="The guide on this"
        @click="help ? guide.open(help) : guide.openHere()"
      >
        ?
      </button>
    </h3>
    <div v-show="open" class="inner"><slot /></div>
  </section>
</template>

<style scoped>
.fold {
  border-bottom: 1px solid var(--line);
}
h3 {
  display: flex;
  align-items: center;
  padding-right: 8px;
}
.title {
  all: unset;
  display: flex;
  align-items: center;
  gap: 8px;
  flex: 1;
  min-width: 0;
  height: 28px;
  padding: 0 4px 0 12px;
  box-sizing: border-box;
  cursor: pointer;
}
.title:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.soft {
  font-weight: 400;
}
.title .soft {
  flex: 1;
}
svg.open {
  transform: rotate(90deg);
}
.inner {
  display: grid;
  gap: 8px;
  padding: 2px 12px 10px;
}
</style>
