<script setup lang="ts">
// A range of colours: what was picked, how like it colours must be, or within which limits they lie.
import { NButton, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Colours } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { useTool } from '../state/tool'
import { usePicking } from '../state/picking'
import ColourStrip from './ColourStrip.vue'

const tools = useTool()
const picking = usePicking()
const part = computed(() => picking.colours!)
const BY: { value: Colours['by']; label: string }[] = [
  { value: 'likeness', label: 'Like what was picked' },
  { value: 'limits', label: 'Within limits' },
]
const tool = computed(() => tools.held('pick')?.include ?? null)
type Single = 'near' | 'soft' | 'calm' | 'hue' | 'hue_reach' | 'hue_soft' | 'saturation_soft' | 'brightness_soft'
type Pair = 'saturation' | 'brightness'

const swatch = (lab: number[]) => `oklab(${lab[0]} ${lab[1]} ${lab[2]})`
const set = (name: Single, value: number, meant = true) =>
  picking.change('Change a range', (one) => (one[name] = value), meant)

function setEnd(name: Pair, end: 0 | 1, value: number, meant = true) {
  picking.change(
    'Change a range',
    (one) => {
      const [low, high] = one[name]
      one[name] = end ? [Math.min(low, value), value] : [value, Math.max(high, value)]
    },
    meant,
  )
}

function setLimits(name: Pair, low: number, high: number, meant: boolean) {
  picking.change('Change a range', (one) => (one[name] = [low, high]), meant)
}

function drop(index: number) {
  picking.change('Remove a colour', (one) => one.picks.splice(index, 1))
}
</script>

<template>
  <div class="line">
    <NButton
      size="tiny"
      :type="tool === true ? 'primary' : 'default'"
      :aria-pressed="tool === true"
      title="Click a colour on the picture, or drag over some"
      @click="picking.take(true)"
      >+ Colour</NButton
    >
    <NButton
      size="tiny"
      :type="tool === false ? 'primary' : 'default'"
      :aria-pressed="tool === false"
      title="Click a colour that does not belong to it"
      @click="picking.take(false)"
      >− Colour</NButton
    >
    <NSelect
      size="tiny"
      :value="part.by"
      :options="BY"
      aria-label="How the range is told"
      @update:value="picking.tell"
    />
  </div>
  <ul v-if="part.picks.length" class="picks" aria-label="Picked colours">
    <li v-for="(one, index) in part.picks" :key="index">
      <button
        type="button"
        class="plainbutton pick"
        :class="{ out: !one.include }"
        :style="{ background: swatch(one.lab) }"
        :title="`${one.include ? 'Belongs to it' : 'Does not belong to it'}: click to remove it from the list`"
        :aria-label="`Colour ${index + 1}, ${one.include ? 'taken in' : 'left out'}`"
        @click="drop(index)"
      ></button>
    </li>
  </ul>
  <div v-if="part.by === 'likeness'" class="numbers">
    <NumberField
      label="Tolerance"
      :value="part.near"
      :low="0"
      :high="100"
      :digits="1"
      :step="0.2"
      :reset="6"
      @trying="set('near', $event, false)"
      @set="set('near', $event)"
    />
    <NumberField
      label="Softness"
      :value="part.soft"
      :low="0"
      :high="100"
      :digits="1"
      :step="0.2"
      :reset="5"
      @trying="set('soft', $event, false)"
      @set="set('soft', $event)"
    />
  </div>
  <template v-else>
    <ColourStrip
      label="Hue"
      around
      :bins="picking.seen?.hue ?? []"
      :low="part.hue - part.hue_reach"
      :high="part.hue + part.hue_reach"
      :soft="part.hue_soft"
      :end="360"
      @drag="(low, high, meant) => set('hue', ((low + high) / 2 + 720) % 360, meant)"
    />
    <div class="three">
      <NumberField
        tight
        label="Hue"
        unit="°"
        :value="part.hue"
        :low="0"
        :high="360"
        @trying="set('hue', $event, false)"
        @set="set('hue', $event)"
      />
      <NumberField
        tight
        label="Width"
        unit="°"
        :value="part.hue_reach"
        :low="0"
        :high="180"
        :reset="180"
        @trying="set('hue_reach', $event, false)"
        @set="set('hue_reach', $event)"
      />
      <NumberField
        tight
        label="Softness"
        unit="°"
        name="Softness of hue"
        :value="part.hue_soft"
        :low="0"
        :high="180"
        :reset="15"
        @trying="set('hue_soft', $event, false)"
        @set="set('hue_soft', $event)"
      />
    </div>
    <template v-for="(name, i) in ['saturation', 'brightness'] as const" :key="name">
      <ColourStrip
        :label="['Saturation', 'Brightness'][i]!"
        :bins="picking.seen?.[name] ?? []"
        :low="part[name][0]"
        :high="part[name][1]"
        :soft="part[`${name}_soft`]"
        :end="100"
        @drag="(low, high, meant) => setLimits(name, low, high, meant)"
      />
      <div class="three">
        <NumberField
          tight
          :label="['Saturation', 'Brightness'][i]!"
          :name="`${name} from`"
          :value="part[name][0]"
          :low="0"
          :high="100"
          @trying="setEnd(name, 0, $event, false)"
          @set="setEnd(name, 0, $event)"
        />
        <NumberField
          tight
          label="to"
          :name="`${name} to`"
          :value="part[name][1]"
          :low="0"
          :high="100"
          @trying="setEnd(name, 1, $event, false)"
          @set="setEnd(name, 1, $event)"
        />
        <NumberField
          tight
          label="Softness"
          :name="`Softness of ${name}`"
          :value="part[`${name}_soft`]"
          :low="0"
          :high="100"
          :reset="10"
          @trying="set(`${name}_soft`, $event, false)"
          @set="set(`${name}_soft`, $event)"
        />
      </div>
    </template>
  </template>
  <NumberField
    label="Denoise first"
    unit="px"
    :value="part.calm"
    :low="0"
    :high="20"
    :digits="1"
    :step="0.1"
    :reset="1.5"
    @trying="set('calm', $event, false)"
    @set="set('calm', $event)"
  />
</template>

<style scoped>
.picks {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.pick {
  width: 26px;
  border: 1px solid var(--control);
}
.pick.out {
  background-image: linear-gradient(to top right, transparent 45%, #fff 46% 54%, transparent 55%) !important;
}
.three {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 8px;
}
</style>
