<script setup lang="ts">
// One look: on or off, its strength, and, when it is open, everything that can be set.
import { NCheckbox, NDropdown } from 'naive-ui'
import { computed } from 'vue'
import { api, content } from '../../api/client'
import type { Look } from '../../api/types'
import NumberField from '../../parts/NumberField.vue'
import { useLooks, type Side } from '../../state/looks'
import { tickOf, valueAt } from '../../state/numbers'
import { attempt } from '../../state/say'
import { useStores } from '../../state/stores'
import FillFields from './FillFields.vue'
import LookSettings from './LookSettings.vue'

const props = defineProps<{ side: Side; look: Look; first: boolean; last: boolean }>()
const { session, selection, lanes } = useStores()
const state = useLooks()
const kind = computed(() => state.kindOf(props.look))
const label = computed(() => kind.value?.label ?? props.look.kind)
const open = computed(() => state.open === props.look.id)
const isList = computed(() => props.look.kind === 'cdl')
const acts = computed(() => [
  { key: 'fade in', label: 'Fade in from here, one second' },
  { key: 'fade out', label: 'Fade out from here, one second' },
  { key: 'copy', label: 'Copy' },
  { key: 'reset', label: 'Reset' },
  { key: 'earlier', label: 'Earlier', disabled: props.first },
  { key: 'later', label: 'Later', disabled: props.last },
  ...(isList.value
    ? [
        { key: 'write', label: 'Write a decision list (.cdl)' },
        { key: 'read', label: 'Read a decision list …' },
      ]
    : []),
])

function act(key: string) {
  if (key === 'fade in' || key === 'fade out') state.fade(props.look, key === 'fade in' ? 'in' : 'out')
  else if (key === 'copy') state.copy([props.look])
  else if (key === 'reset') state.reset(props.side, [props.look])
  else if (key === 'earlier' || key === 'later') state.move(props.side, props.look, key === 'later' ? 1 : -1)
  else if (key === 'write')
    window.open(
      `/api/projects/${session.id}/cdl/${selection.shot?.id}/${selection.regionId}/${props.look.id}.cdl?frame=${lanes.sourceFrame}`,
    )
  else if (key === 'read') readList()
}

function readList() {
  const input = document.createElement('input')
  input.type = 'file'
  input.accept = '.cdl,.cc,.ccc'
  input.onchange = () =>
    attempt(async () => {
      const text = await input.files?.[0]?.text()
      if (text === undefined) return
      const settings = await content(api.POST('/api/cdl', { body: { text } }))
      state.change(props.side, props.look, 'Read decision list', (one) => (one.settings = settings))
    })
  input.click()
}
</script>

<template>
  <li :class="{ open }">
    <div class="head">
      <NCheckbox
        size="small"
        :checked="look.on"
        :aria-label="`${label} is on`"
        @update:checked="(on: boolean) => state.change(side, look, on ? 'Look on' : 'Look off', (one) => (one.on = on))"
      />
      <button
        class="plainbutton name"
        type="button"
        :title="kind?.about"
        :aria-expanded="open"
        @click="state.open = open ? null : look.id"
      >
        <svg viewBox="0 0 8 8" width="8" height="8" aria-hidden="true">
          <path d="M2 0l4 4-4 4z" fill="currentColor" />
        </svg>
        <strong class="fade">{{ label }}</strong>
      </button>
      <NDropdown trigger="click" :options="acts" @select="act">
        <button class="plainbutton" type="button" :aria-label="`More for ${label}`" title="Fade, copy, reset, order">
          <svg viewBox="0 0 14 4" width="14" height="4" aria-hidden="true">
            <circle v-for="x in [2, 7, 12]" :key="x" :cx="x" cy="2" r="1.5" fill="currentColor" />
          </svg>
        </button>
      </NDropdown>
      <button
        class="plainbutton"
        type="button"
        :title="`Remove ${label}`"
        :aria-label="`Remove ${label}`"
        @click="state.remove(side, look)"
      >
        ×
      </button>
    </div>
    <div v-if="open" class="settings">
      <NumberField
        label="Strength"
        unit="%"
        :value="valueAt(look.strength, lanes.sourceFrame) * 100"
        :low="0"
        :high="100"
        :reset="(kind?.strength ?? 1) * 100"
        :tick="tickOf(look.strength, lanes.sourceFrame)"
        @tick="state.tickStrength(side, look)"
        @trying="state.strength(side, look, $event, false)"
        @set="state.strength(side, look, $event, true)"
      />
      <FillFields v-if="look.kind === 'fill'" />
      <LookSettings v-if="kind" :side="side" :look="look" :settings="kind.settings" />
    </div>
  </li>
</template>

<style scoped>
li {
  border-radius: 4px;
  padding: 0 4px;
}
li.open {
  background: var(--raised);
}
.head {
  display: flex;
  align-items: center;
  gap: 2px;
  height: 28px;
}
.head :deep(.n-checkbox) {
  min-width: 24px;
  min-height: 24px;
  align-items: center;
  justify-content: center;
}
.name {
  flex: 1;
  min-width: 0;
  justify-content: flex-start;
}
.open .name svg {
  transform: rotate(90deg);
}
.settings {
  display: grid;
  gap: 4px;
  padding: 2px 2px 8px;
}
</style>
