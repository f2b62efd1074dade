<script setup lang="ts">
// The numbers of the selected shape, its chosen points, and what was set by hand on the present frame.
import { NButton, NCheckbox, NRadioButton, NRadioGroup, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Ease, Keyed, Pose } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { shapeKind } from '../shapes'
import { easeAt, keyedFrames, ticked, tickOf, valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import { carry, inverse } from '../viewer/geometry'
import { scaled, sharp, smooth } from '../viewer/PathPoints.vue'

const { selection, lanes, commands } = useStores()
const part = computed(() => selection.shape)
// What is seen on the frame, carried by the motion; that is what people want to read and type.
const seen = computed(() => part.value && carry(lanes.poseOf(part.value), lanes.carrierOf(part.value.attached_to)))
const keyed = computed(() => (part.value ? keyedFrames(part.value) : []))
const setHere = computed(() => keyed.value.includes(lanes.sourceFrame))

// `times` is how many of the document's units the shown number measures: radii are shown as full sizes.
const NUMBERS: { name: keyof Pose; label: string; unit: string; low?: number; high?: number; times: number }[] = [
  { name: 'x', label: 'Centre x', unit: 'px', times: 1 },
  { name: 'y', label: 'Centre y', unit: 'px', times: 1 },
  { name: 'rx', label: 'Width', unit: 'px', low: 1, times: 2 },
  { name: 'ry', label: 'Height', unit: 'px', low: 1, times: 2 },
  { name: 'rotation', label: 'Rotation', unit: '°', times: 1 },
  { name: 'shear', label: 'Shear', unit: '°', low: -80, high: 80, times: 1 },
]
const numbers = computed(() => {
  const own = shapeKind(part.value?.kind)?.numbers ?? []
  return NUMBERS.filter((one) => own.includes(one.name))
})
const EASES: { value: Ease; label: string }[] = [
  { value: 'linear', label: 'then evenly' },
  { value: 'smooth', label: 'then smoothly' },
  { value: 'hold', label: 'then held' },
]

/** A shape stays within reach of the picture: its middle on it or as far again beside it, at most four times as large. */
function limits(one: { name: keyof Pose; low?: number; high?: number }): { low?: number; high?: number } {
  const [width, height] = [selection.medium?.width ?? 1920, selection.medium?.height ?? 1080]
  const side = one.name === 'x' || one.name === 'rx' ? width : height
  if (one.name === 'x' || one.name === 'y') return { low: -side, high: 2 * side }
  if (one.name === 'rx' || one.name === 'ry') return { low: one.low, high: 4 * side }
  return one
}

function put(name: keyof Pose, value: number, meant: boolean) {
  if (!part.value || !seen.value) return
  const own = carry({ ...seen.value, [name]: value }, inverse(lanes.carrierOf(part.value.attached_to)))
  if (meant) commands.place(part.value, own, 'Change shape')
  else commands.tryOut(part.value, { pose: own })
}

type Values = Record<'opacity' | 'rounding', Keyed | number | undefined>

function number(which: keyof Values, label: string, value: number, meant: boolean) {
  const at = lanes.sourceFrame
  const set = (one: Values) => (one[which] = withValue(one[which] ?? 0, at, value))
  commands.editPart(label, (one) => set(one as unknown as Values), meant)
}

function tick(which: keyof Values) {
  const at = lanes.sourceFrame
  const set = (one: Values) => (one[which] = ticked(one[which] ?? 0, at))
  commands.editPart('Set by hand', (one) => set(one as unknown as Values))
}

function ease(to: Ease) {
  const id = part.value?.id
  if (id) void commands.change((shot, frame) => ({ do: 'ease keys', shot, part: id, frame, ease: to }))
}

function points(change: typeof sharp) {
  if (!part.value) return
  commands.reshape(part.value, change(lanes.pointsOf(part.value) ?? [], selection.points))
}
</script>

<template>
  <div v-if="part && seen" class="numbers">
    <NumberField
      v-for="one in numbers"
      :key="one.name"
      :label="one.label"
      :value="seen[one.name] * one.times"
      :unit="one.unit"
      :low="limits(one).low"
      :high="limits(one).high"
      :digits="1"
      :reset="one.name === 'rotation' || one.name === 'shear' ? 0 : undefined"
      @trying="put(one.name, $event / one.times, false)"
      @set="put(one.name, $event / one.times, true)"
    />
    <NumberField
      label="Opacity"
      unit="%"
      :value="valueAt(part.opacity, lanes.sourceFrame) * 100"
      :low="0"
      :high="100"
      :reset="100"
      :tick="tickOf(part.opacity, lanes.sourceFrame)"
      @tick="tick('opacity')"
      @trying="number('opacity', 'Change opacity', $event / 100, false)"
      @set="number('opacity', 'Change opacity', $event / 100, true)"
    />
    <NumberField
      v-if="part.kind === 'rectangle'"
      label="Rounding"
      unit="px"
      :value="valueAt(part.rounding, lanes.sourceFrame)"
      :low="0"
      :high="2000"
      :reset="0"
      :tick="tickOf(part.rounding, lanes.sourceFrame)"
      @tick="tick('rounding')"
      @trying="number('rounding', 'Round corners', $event, false)"
      @set="number('rounding', 'Round corners', $event, true)"
    />
    <NCheckbox
      size="small"
      :checked="part.invert"
      @update:checked="
        (on: boolean) => commands.editPart(on ? 'Invert shape' : 'Do not invert', (one) => (one.invert = on))
      "
      >Invert</NCheckbox
    >
    <NRadioGroup
      v-if="part.attached_to"
      size="small"
      class="reach"
      :value="commands.everywhere"
      aria-label="Where place and size change"
      @update:value="(to: boolean) => (commands.everywhere = to)"
    >
      <NRadioButton :value="false" title="Place and size change on this frame; between such frames it blends"
        >Here</NRadioButton
      >
      <NRadioButton :value="true" title="Place and size change by as much on every frame">Everywhere</NRadioButton>
    </NRadioGroup>
  </div>
  <div v-if="part?.kind === 'path' && selection.points.length" class="add">
    <span class="soft">{{ selection.points.length }} {{ selection.points.length === 1 ? 'point' : 'points' }}:</span>
    <NButton size="tiny" title="Corner (C)" @click="points(sharp)">Corner</NButton>
    <NButton size="tiny" title="Curve (V)" @click="points(smooth)">Curve</NButton>
    <NButton size="tiny" @click="points((all, which) => scaled(all, which, 0.75))">Tighter</NButton>
    <NButton size="tiny" @click="points((all, which) => scaled(all, which, 1.33))">Rounder</NButton>
    <NButton
      size="tiny"
      title="Remove points (Delete)"
      @click="commands.change((shot) => ({ do: 'remove point', shot, part: part!.id, points: [...selection.points] }))"
      >Remove</NButton
    >
  </div>
  <div v-if="part && setHere" class="set">
    <span class="soft">Set by hand here,</span>
    <NSelect
      size="tiny"
      class="ease"
      :value="easeAt(part, lanes.sourceFrame)"
      :options="EASES"
      aria-label="How it goes on from here"
      @update:value="ease"
    />
    <button
      v-if="keyed.length > 1"
      class="plainbutton"
      type="button"
      title="Take back what was set by hand on this frame (X)"
      @click="commands.change((shot, frame) => ({ do: 'clear keys', shot, part: part!.id, first: frame, last: frame }))"
    >
      Take back
    </button>
  </div>
</template>

<style scoped>
.set {
  display: flex;
  align-items: center;
  gap: 6px;
  font-size: 12px;
  min-height: 24px;
}
.reach {
  grid-column: 1 / -1;
}
.ease {
  width: 116px;
}
</style>
