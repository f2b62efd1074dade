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
const groups = computed<{ heading: string; fields: { which: Which; label: string }[] }[]>(() => [
  {
    heading: apart.value ? 'Feather across' : 'Feather',
    fields: [
      { which: 'feather_in', label: 'In' },
      { which: 'feather_out', label: 'Out' },
    ],
  },
  ...(apart.value
    ? [
        {
          heading: 'Feather along',
          fields: [
            { which: 'along_in' as const, label: 'In' },
            { which: 'along_out' as const, label: 'Out' },
          ],
        },
      ]
    : []),
])

function edit(label: string, to: (values: Values) => void, meant = true) {
  commands.editPart(label, (one) => to(one as unknown as Values), meant)
}

function soften(which: Which, value: number, meant: boolean) {
  const at = lanes.sourceFrame
  edit('Feather', (one) => (one[which] = withValue(one[which] ?? 0, at, value)), meant)
}

function tick(which: Which) {
  const at = lanes.sourceFrame
  edit('Set by hand', (one) => (one[which] = ticked(one[which] ?? 0, at)))
}

function split(on: boolean) {
  edit(on ? 'Feather across and along separately' : 'Feather all round', (one) => {
    one.along_in = on ? one.feather_in : null
    one.along_out = on ? one.feather_out : null
  })
}
</script>

<template>
  <Fold title="Edge" note="in pixels of the clip">
    <div v-if="values" class="numbers">
      <template v-for="group in groups" :key="group.heading">
        <span class="heading">{{ group.heading }}</span>
        <NumberField
          v-for="one in group.fields"
          :key="one.which"
          :label="one.label"
          :name="`${group.heading} ${one.label.toLowerCase()}`"
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
      </template>
    </div>
    <NCheckbox v-if="sided" size="small" :checked="apart" @update:checked="split"
      >Across and along separately</NCheckbox
    >
  </Fold>
</template>
