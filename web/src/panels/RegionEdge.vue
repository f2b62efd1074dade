<script setup lang="ts">
// The border of the region's finished matte. Nothing is cut out anew for it.
import { NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import type { Edge, Keyed } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { ticked, tickOf, valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import Fold from './Fold.vue'

type Which = Exclude<keyof Edge, 'invert'>
interface Field {
  which: Which
  label: string // under its heading
  name: string // by itself
  unit: string
  low: number
  high: number
  reset: number
  times: number // of the document's units that the shown number measures
  keyed: boolean
}

const { selection, lanes, commands } = useStores()
const edge = computed(() => selection.region?.edge ?? null)
/** A number in pixels from 0 on, the same on every frame, but for what is said otherwise. */
function field(which: Which, label: string, name: string, other: Partial<Field>): Field {
  return { which, label, name, unit: 'px', low: 0, high: 200, reset: 0, times: 1, keyed: false, ...other }
}

const GROW = field('grow', 'Grow', 'Grow', { low: -200, keyed: true })
const GROUPS: { heading: string; fields: Field[] }[] = [
  {
    heading: 'Feather',
    fields: [
      field('soften_in', 'In', 'Feather in', { keyed: true }),
      field('soften_out', 'Out', 'Feather out', { keyed: true }),
    ],
  },
  {
    heading: 'Opacity',
    fields: [
      field('low', 'Lower', 'Lower limit', { unit: '%', high: 100, times: 100 }),
      field('high', 'Upper', 'Upper limit', { unit: '%', high: 100, reset: 100, times: 100 }),
      field('gamma', 'Gamma', 'Gamma', { unit: '', low: 0.1, high: 10, reset: 1 }),
    ],
  },
  {
    heading: 'Clean up what is smaller than',
    fields: [
      field('holes', 'Holes', 'Fill holes', { unit: 'px²', high: 1e6 }),
      field('specks', 'Specks', 'Despeckle', { unit: 'px²', high: 1e6 }),
    ],
  },
  {
    heading: 'Smoothing',
    fields: [
      field('smooth', 'Outline', 'Smooth outline', { high: 100 }),
      field('steady', 'In time', 'Smooth in time', { unit: 'fr', high: 5 }),
    ],
  },
]
const FIELDS = [GROW, ...GROUPS.flatMap((group) => group.fields)]
const changed = computed(() => FIELDS.filter((one) => valueOf(one) !== one.reset).map((one) => one.name.toLowerCase()))

type Values = Record<Which, number | Keyed>

function valueOf(field: Field): number {
  return edge.value ? valueAt((edge.value as Values)[field.which], lanes.sourceFrame) * field.times : field.reset
}

function set(field: Field, value: number, meant: boolean) {
  const at = lanes.sourceFrame
  const change = (values: Values) =>
    (values[field.which] = withValue(values[field.which], at, value / field.times) as number)
  if (meant) void commands.editRegion('Change edge', (one) => void change(one.edge as Values))
  else commands.tryRegion((one) => void change(one.edge as Values))
}

function tick(field: Field) {
  const at = lanes.sourceFrame
  void commands.editRegion('Set by hand', (one) => {
    const values = one.edge as Values
    values[field.which] = ticked(values[field.which], at) as number
  })
}

function invert(on: boolean) {
  void commands.editRegion(on ? 'Invert region' : 'Do not invert', (one) => (one.edge!.invert = on))
}
</script>

<template>
  <Fold title="Edge" help="cut-outs" closed :note="changed.join(', ') || 'as it was cut out'">
    <div v-if="edge" class="numbers">
      <template v-for="group in [{ heading: '', fields: [GROW] }, ...GROUPS]" :key="group.heading">
        <span v-if="group.heading" class="heading">{{ group.heading }}</span>
        <NumberField
          v-for="one in group.fields"
          :key="one.which"
          :label="one.label"
          :name="one.name"
          :unit="one.unit"
          :value="valueOf(one)"
          :low="one.low"
          :high="one.high"
          :reset="one.reset"
          :digits="one.which === 'gamma' ? 2 : 0"
          :tick="one.keyed ? tickOf((edge as Values)[one.which], lanes.sourceFrame) : undefined"
          @tick="tick(one)"
          @trying="set(one, $event, false)"
          @set="set(one, $event, true)"
        />
        <NCheckbox v-if="!group.heading" size="small" :checked="edge.invert" @update:checked="invert">Invert</NCheckbox>
      </template>
    </div>
  </Fold>
</template>
