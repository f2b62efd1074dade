<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { NCheckbox, NDropdown, NPopover, NProgress } from 'naive-ui'
import { computed, defineAsyncComponent, ref, type Component } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { grouped, useActions } from '../state/actions'
import { useEnds } from '../state/ends'
import { useHelp } from '../state/help'
import { useSession } from '../state/session'
import { useSettings } from '../state/settings'
import { useWalk } from '../state/walk'
import { about, standing, useWork } from '../state/work'
import CommandList from './CommandList.vue'
import KeysHelp from './KeysHelp.vue'
import NameField from './NameField.vue'

const route = useRoute()
const router = useRouter()
const help = useHelp()
const ends = useEnds()
const session = useSession()
const work = useWork()
const settings = useSettings()
const walk = useWalk()
const project = computed(() => (typeof route.params.id === 'string' ? route.params.id : null))
const screens = computed(() => [
  { to: '/', label: 'Shelf' },
  ...(project.value
    ? [
        { to: `/project/${project.value}`, label: 'Bench' },
        { to: `/project/${project.value}/film`, label: 'Film' },
        { to: `/project/${project.value}/proof`, label: 'Proof' },
        { to: `/project/${project.value}/export`, label: 'Export' },
      ]
    : []),
])

// Whoever closes the window on an edit that the server does not have yet is asked first.
useEventListener(window, 'beforeunload', (event) => session.saving && event.preventDefault())

const About = defineAsyncComponent(() => import('./About.vue'))
const GuideSheet = defineAsyncComponent(() => import('./GuideSheet.vue'))
const SHEETS: Record<string, Component> = { commands: CommandList, keys: KeysHelp, about: About }
const sheet = ref<keyof typeof SHEETS | null>(null)
const helps = computed(() => [
  { key: 'guide', label: 'Guide (F1)' },
  { key: 'commands', label: 'Commands (Ctrl+K)' },
  { key: 'keys', label: 'Keys (?)' },
  { key: 'about', label: 'About Cravo' },
])

function open(key: string) {
  if (key === 'guide') help.openHere()
  else sheet.value = key
}

const surround = () => (settings.mode = settings.mode === 'dark' ? 'light' : 'dark')

useActions().offer(() =>
  grouped('Everywhere', [
    ...screens.value.map((one) => ({ says: `Go to ${one.label}`, does: () => void router.push(one.to) })),
    {
      says: session.state?.undo ? `Undo: ${session.state.undo}` : 'Undo',
      keys: ['Ctrl+Z'],
      can: () => !!project.value && !!session.state?.undo,
      does: () => session.step('undo'),
    },
    {
      says: session.state?.redo ? `Redo: ${session.state.redo}` : 'Redo',
      keys: ['Ctrl+Shift+Z'],
      can: () => !!project.value && !!session.state?.redo,
      does: () => session.step('redo'),
    },
    { says: 'Guide', keys: ['F1'], does: help.openHere },
    { says: 'Commands', keys: ['Ctrl+K'], does: () => open('commands') },
    { says: 'Keys', keys: ['?'], does: () => open('keys') },
    { says: 'About Cravo', does: () => open('about') },
    { says: settings.mode === 'dark' ? 'Light surround' : 'Dark surround', does: surround },
  ]),
)

function rename(name: string) {
  void session.edit('Rename project', (document) => {
    document.name = name
  })
}
</script>

<template>
  <header class="top" :data-saving="session.saving > 0">
    <svg class="mark" viewBox="0 0 18 14" width="18" height="14" aria-hidden="true">
      <rect x="0" y="1" width="18" height="3" />
      <rect x="0" y="6" width="7" height="3" />
      <rect x="9" y="6" width="2" height="3" />
      <rect x="13" y="6" width="5" height="3" />
      <rect x="0" y="11" width="11" height="3" />
      <rect x="13" y="11" width="5" height="3" />
    </svg>
    <strong class="brand">Cravo</strong>
    <nav aria-label="Screens">
      <RouterLink v-for="screen in screens" :key="screen.to" :to="screen.to" class="screen" exact-active-class="here">{{
        screen.label
      }}</RouterLink>
    </nav>
    <NameField
      v-if="project && session.document"
      class="name"
      label="Name of the project"
      :value="session.document.name"
      @set="rename"
    />
    <span class="spring"></span>
    <NPopover v-if="work.busy" trigger="click" placement="bottom-end">
      <template #trigger>
        <button class="plainbutton" type="button">
          <span class="pulse" aria-hidden="true"></span>{{ work.busy }} at work
        </button>
      </template>
      <ul class="works">
        <li v-for="one in work.running" :key="one.id">
          <div class="line">
            <span class="what"
              ><span class="fade">{{ one.label }}</span
              ><span class="soft fade" :title="about(one)">{{ about(one) }}</span></span
            >
            <span class="soft number">{{ standing(one) }}</span>
            <button class="plainbutton" type="button" @click="work.stop(one.id)">Stop</button>
          </div>
          <NProgress
            type="line"
            :show-indicator="false"
            :height="4"
            :percentage="one.total ? (100 * one.done) / one.total : 0"
            :aria-label="one.label"
          />
        </li>
        <li v-if="ends.able">
          <NCheckbox size="small" :checked="settings.notify" @update:checked="ends.notify"
            >Tell me when something ends while I look elsewhere</NCheckbox
          >
        </li>
      </ul>
    </NPopover>
    <template v-if="project">
      <button v-if="walk.place?.left" class="plainbutton" type="button" @click="walk.leave(false)">
        Help: {{ walk.walk?.name }}
      </button>
      <button
        class="plainbutton"
        type="button"
        :disabled="!session.state?.undo"
        :title="session.state?.undo ? `Undo: ${session.state.undo} (Ctrl+Z)` : 'Nothing to undo'"
        @click="session.step('undo')"
      >
        Undo
      </button>
      <button
        class="plainbutton"
        type="button"
        :disabled="!session.state?.redo"
        :title="session.state?.redo ? `Redo: ${session.state.redo} (Ctrl+Shift+Z)` : 'Nothing to redo'"
        @click="session.step('redo')"
      >
        Redo
      </button>
    </template>
    <button
      class="plainbutton"
      type="button"
      :title="settings.mode === 'dark' ? 'Light surround' : 'Dark surround'"
      @click="surround"
    >
      {{ settings.mode === 'dark' ? 'Light' : 'Dark' }}
    </button>
    <NDropdown trigger="click" :options="helps" placement="bottom-end" @select="open">
      <button class="plainbutton" type="button">Help</button>
    </NDropdown>
    <component :is="SHEETS[sheet]" v-if="sheet" @close="sheet = null" />
    <GuideSheet v-if="help.page" />
  </header>
</template>

<style scoped>
.top {
  display: flex;
  align-items: center;
  gap: 8px;
  height: 36px;
  padding: 0 12px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
}
.mark {
  fill: var(--accent);
}
.brand {
  font-size: 14px;
  letter-spacing: 0.02em;
}
nav {
  display: flex;
  gap: 4px;
  margin-left: 8px;
}
.screen {
  padding: 4px 8px;
  border-radius: 4px;
  color: var(--soft);
  text-decoration: none;
}
.screen:hover {
  color: var(--text);
}
.screen.here {
  color: var(--text);
  box-shadow: inset 0 -2px 0 var(--accent);
  border-radius: 4px 4px 0 0;
}
.name {
  flex: 0 1 320px;
}
.spring {
  flex: 1;
}
.works {
  display: grid;
  gap: 8px;
  width: 420px;
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
}
.what {
  display: grid;
  min-width: 0;
}
.line > :first-child {
  flex: 1;
}
.pulse {
  width: 8px;
  height: 8px;
  border-radius: 50%;
  background: var(--accent);
  animation: pulse 1.2s infinite;
}
@keyframes pulse {
  50% {
    opacity: 0.3;
  }
}
</style>
