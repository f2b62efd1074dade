<script setup lang="ts">
import { NDropdown, NSelect } from 'naive-ui'
import { computed } from 'vue'
import { MATTE_VIEWS, MATTE_WORDS } from '../state/view'
import { timecode } from '../state/timecode'
import { useStores } from '../state/stores'

defineProps<{ zoom: number; pace: string }>()
const emit = defineEmits<{ toggle: []; fit: []; keep: []; zoom: [scale: number] }>()

const { session, selection, lanes, view } = useStores()
const views = MATTE_VIEWS.map((value) => ({ value, label: MATTE_WORDS[value] }))
const time = computed(() => (session.document ? timecode(selection.frame, session.document.rate) : ''))
const split = computed(() => view.before > 0 && view.before < 1 && !view.aside)
const comparing = computed(() => split.value || view.aside || view.still !== null)
const compare = computed(() => [
  { key: 'off', label: 'Nothing: as it will be', disabled: !comparing.value },
  { key: 'divider', label: 'Before and after, with a divider (Shift+B)' },
  { key: 'aside', label: 'Before and after side by side' },
  { key: 'keep', label: 'Keep this picture' },
  ...(view.stills.length ? [{ type: 'divider', key: 'line' }] : []),
  ...view.stills.map((one, i) => ({ key: i, label: `Against ${one.label}` })),
])

function choose(key: string | number) {
  if (key === 'keep') return emit('keep')
  view.before = key === 'divider' ? 0.5 : 0
  view.aside = key === 'aside'
  view.still = typeof key === 'number' ? view.stills[key] : null
}
</script>

<template>
  <div class="bar" role="toolbar" aria-label="Picture">
    <button
      class="plainbutton"
      type="button"
      title="First frame (Home)"
      aria-label="First frame"
      @click="selection.go(0)"
    >
      <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
        <path d="M2 2v8M10 2v8L4 6z" fill="currentColor" stroke="currentColor" />
      </svg>
    </button>
    <button
      class="plainbutton play"
      type="button"
      :title="view.playing ? 'Pause (Space)' : 'Play (Space)'"
      :disabled="!session.frames"
      @click="emit('toggle')"
    >
      <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
        <path :d="view.playing ? 'M2 1h3v10H2zM7 1h3v10H7z' : 'M2 1l9 5-9 5z'" fill="currentColor" />
      </svg>
      {{ view.playing ? 'Pause' : 'Play' }}
    </button>
    <time class="time" title="Time in the film">{{ time }}</time>
    <span class="soft number" title="Frame of the clip, as lanes, keyframes and strokes count"
      >clip frame {{ lanes.sourceFrame }}</span
    >
    <span v-if="pace && view.playing" class="soft number">{{ pace }}</span>
    <span class="spring"></span>
    <NSelect
      v-model:value="view.matte"
      class="views"
      size="small"
      :options="views"
      :consistent-menu-width="false"
      aria-label="How to show the matte"
      title="How to show the matte of the selected region (M)"
    />
    <input
      v-if="view.matte === 'colour'"
      v-model="view.plain"
      class="colour"
      type="color"
      aria-label="Colour behind the cut-out"
    />
    <button
      class="plainbutton"
      type="button"
      title="The untreated picture (B)"
      :aria-pressed="view.before === 1"
      @click="view.before = view.before === 1 ? 0 : 1"
    >
      Before
    </button>
    <NDropdown trigger="click" :options="compare" @select="choose">
      <button class="plainbutton" type="button" :aria-pressed="comparing">Compare</button>
    </NDropdown>
    <button
      class="plainbutton"
      type="button"
      title="Value under the pointer (I)"
      :aria-pressed="view.reading"
      @click="view.reading = !view.reading"
    >
      Values
    </button>
    <button
      class="plainbutton"
      type="button"
      title="Scopes instead of the lanes (W)"
      :aria-pressed="view.below === 'scopes'"
      @click="view.below = view.below === 'scopes' ? 'lanes' : 'scopes'"
    >
      Scopes
    </button>
    <button class="plainbutton" type="button" title="Fit (0)" @click="emit('fit')">Fit</button>
    <button class="plainbutton" type="button" title="One picture pixel for one screen pixel" @click="emit('zoom', 1)">
      1:1
    </button>
    <span class="soft number zoom">{{ Math.round(zoom * 100) }} %</span>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 6px;
  height: 32px;
  padding: 0 8px;
  background: var(--panel);
  border-top: 1px solid var(--line);
  white-space: nowrap;
}
.bar .plainbutton {
  flex: none;
}
.spring {
  flex: 1;
}
.play {
  min-width: 68px;
}
.time {
  font-weight: 600;
  font-size: 14px;
}
.views {
  flex: 0 1 150px;
  min-width: 96px;
}
.colour {
  width: 28px;
  height: 24px;
  padding: 0;
  border: 1px solid var(--control);
  background: none;
}
.zoom {
  width: 44px;
  text-align: right;
}
@media (max-width: 1100px) {
  .bar {
    gap: 2px;
    padding: 0 4px;
  }
  .zoom {
    display: none;
  }
}
</style>
