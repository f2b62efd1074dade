<script setup lang="ts">
// What can be set of a look, made from what the server says of its kind.
import { NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Look, LookSetting } from '../../api/types'
import NumberField from '../../parts/NumberField.vue'
import { useLanes } from '../../state/lanes'
import { curveOf, numberOf, outlineOf, useLooks, valueOf, type Side } from '../../state/looks'
import { tickOf } from '../../state/numbers'
import CurveFields from './CurveFields.vue'
import FileField from './FileField.vue'

const props = defineProps<{ side: Side; look: Look; settings: LookSetting[] }>()
const lanes = useLanes()
const state = useLooks()
const CHANNELS = ['red', 'green', 'blue']
const rows = computed(() => {
  const curves = props.settings.filter((one) => one.type === 'curve')
  const single = props.settings.filter((one) => one.type !== 'curve' && !channel(one) && counts(one))
  // Settings that there are for each channel share a row under their common name.
  const shared = new Map<string, LookSetting[]>()
  for (const one of props.settings) {
    const which = channel(one)
    if (!which) continue
    const base = one.name.slice(0, -which.length - 1)
    shared.set(base, [...(shared.get(base) ?? []), one])
  }
  return { curves, single, shared: [...shared] }
})

/** Whether a setting has a say under what the others say. */
function counts(setting: LookSetting): boolean {
  return Object.entries(setting.only ?? {}).every(([name, wanted]) => {
    const other = props.settings.find((one) => one.name === name)
    return !other || word(other) === wanted
  })
}

function channel(setting: LookSetting): string | undefined {
  return CHANNELS.find((one) => setting.name.endsWith(`_${one}`))
}

const digits = (setting: LookSetting) => (setting.step < 0.01 ? 3 : setting.step < 0.1 ? 2 : setting.step < 1 ? 1 : 0)
/** Everything that a number's field needs, and what it does. */
const field = (one: LookSetting) => ({
  value: valueOf(props.look, one, lanes.sourceFrame),
  low: one.low,
  high: one.high,
  step: one.step,
  digits: digits(one),
  reset: one.default as number,
  tick: tickOf(numberOf(props.look, one), lanes.sourceFrame),
  onTick: () => state.tick(props.side, props.look, one),
  onTrying: (value: number) => state.number(props.side, props.look, one, value, false),
  onSet: (value: number) => state.number(props.side, props.look, one, value, true),
})
const word = (setting: LookSetting) => String(props.look.settings[setting.name] ?? setting.default)
</script>

<template>
  <template v-for="one in rows.single" :key="one.name">
    <NumberField v-if="one.type === 'number'" v-bind="field(one)" :label="one.label" :unit="one.unit" />
    <label v-else-if="one.type === 'colour'" class="line soft">
      {{ one.label }}
      <input
        type="color"
        :value="word(one)"
        @input="state.word(side, look, one, ($event.target as HTMLInputElement).value, false)"
        @change="state.word(side, look, one, ($event.target as HTMLInputElement).value)"
      />
    </label>
    <label v-else-if="one.type === 'choice'" class="line soft">
      {{ one.label }}
      <NSelect
        class="choice"
        size="tiny"
        :value="word(one)"
        :options="one.choices.map((value) => ({ value, label: value }))"
        :consistent-menu-width="false"
        :input-props="{ 'aria-label': one.label }"
        @update:value="(to: string) => state.word(side, look, one, to)"
      />
    </label>
    <FileField v-else :side="side" :look="look" :setting="one" />
  </template>
  <div v-for="[base, settings] in rows.shared" :key="base" class="channels">
    <NumberField
      v-for="one in settings"
      :key="one.name"
      :class="channel(one)"
      :label="channel(one)![0].toUpperCase()"
      :name="one.label"
      :before="one === settings[0] ? settings[0].label.split(',')[0] : undefined"
      tight
      v-bind="field(one)"
    />
  </div>
  <CurveFields
    v-if="rows.curves.length"
    :settings="rows.curves"
    :points="(one) => curveOf(look, one, lanes.sourceFrame)"
    :tick="(one) => tickOf(outlineOf(look, one), lanes.sourceFrame)"
    @tick="(one) => state.tickCurve(side, look, one)"
    @trying="(one, points) => state.curve(side, look, one, points, false)"
    @set="(one, points) => state.curve(side, look, one, points, true)"
  />
</template>

<style scoped>
.line {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 8px;
}
.line input {
  width: 72px;
  height: 24px;
  padding: 1px 2px;
  border: 1px solid var(--control);
  border-radius: 4px;
  background: var(--field);
}
.choice {
  width: 156px;
}
.channels {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 6px;
}
</style>
