<script setup lang="ts">
// How soft the border of the selected shape is, inwards and outwards, all round or across and along apart.
import { NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import type { Keyed } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { ticked, tickOf, valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import Fold from './Fold.vue'

type Which = 'feather_in' | 'feather_out' | 'along_in' | 'along_out'
type Values = Record<Which, Keyed | number | null | undefined>

const { selection, lanes, commands } = useStores()
const part = computed(() => selection.shape)
const values = computed(() => part.value as unknown as Values | null)
const sided = computed(() => !!part.value && 'along_in' in part.value)
const apart = computed(() => sided.value && (values.value?.along_in ?? values.value?.along_out ?? null) !== null)
const fields = computed<{ which: Which; label: string }[]>(() =>
  apart.value
    ? [
        { which: 'feather_in', label: 'Across, in' },
        { which: 'feather_out', label: 'Across, out' },
        { which: 'along_in', label: 'Along, in' },
        { which: 'along_out', label: 'Along, out' },
      ]
    : [
        { which: 'feather_in', label: 'Inwards' },
        { which: 'feather_out', label: 'Outwards' },
      ],
)

function edit(label: string, to: (values: Values) => void, meant = true) {
  commands.editPart(label, (one) => to(one as unknown as Values), meant)
}

function soften(which: Which, value: number, meant: boolean) {
  const at = lanes.sourceFrame
  edit('Soften edge', (one) => (one[which] = withValue(one[which] ?? 0, at, value)), meant)
}

function tick(which: Which) {
  const at = lanes.sourceFrame
  edit('Set by hand', (one) => (one[which] = ticked(one[which] ?? 0, at)))
}

function split(on: boolean) {
  edit(on ? 'Soften across and along apart' : 'Soften all round', (one) => {
    one.along_in = on ? one.feather_in : null
    one.along_out = on ? one.feather_out : null
  })
}
</script>

<template>
  <Fold title="Edge" note="softness, in pixels of the clip">
    <div v-if="values" class="numbers">
      <NumberField
        v-for="one in fields"
        :key="one.which"
        :label="one.label"
        unit="px"
        :value="valueAt(values[one.which] ?? 0, lanes.sourceFrame)"
        :low="0"
        :high="400"
        :reset="12"
        :tick="tickOf(values[one.which], lanes.sourceFrame)"
        @tick="tick(one.which)"
        @trying="soften(one.which, $event, false)"
        @set="soften(one.which, $event, true)"
      />
    </div>
    <NCheckbox v-if="sided" size="small" :checked="apart" @update:checked="split">Across and along apart</NCheckbox>
  </Fold>
</template>
