<script setup lang="ts">
// The faces of a shot: who was found, who is covered, and how.
import { NButton, NCheckbox, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Faces } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { useFound } from '../state/found'
import { valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import FoundList from './FoundList.vue'

const { lanes, tools } = useStores()
const found = useFound()
const part = computed(() => found.faces!)
const COVERS: { value: Faces['covers']; label: string }[] = [
  { value: 'face', label: 'The face' },
  { value: 'head', label: 'The head' },
  { value: 'eyes', label: 'The eyes' },
  { value: 'mouth', label: 'The mouth' },
]
const FORMS: { value: Faces['form']; label: string }[] = [
  { value: 'oval', label: 'as an oval' },
  { value: 'box', label: 'as a box' },
]
const hand = computed(() => tools.held('face')?.track ?? null)

function menu(name: string) {
  const lock = part.value.locked.some((one) => one.track === name)
  if (lock) return [{ key: 'unlock', label: 'Unlock: found like the others' }]
  const others = (found.list ?? []).filter((one) => one.name !== name)
  return [
    { key: 'hand', label: 'Draw it on this frame' },
    { key: 'split', label: 'Somebody else from this frame on' },
    ...(others.length
      ? [
          {
            key: 'join',
            label: 'The same as',
            children: others.map((one) => ({ key: `join ${one.name}`, label: `Face ${one.name}` })),
          },
        ]
      : []),
    { key: 'lock', label: 'It is right: lock it' },
    { key: 'remove', label: 'Not a face: delete' },
  ]
}

function act(key: string, name: string) {
  if (key === 'hand') tools.take({ draw: 'face', track: name })
  else if (key === 'split') found.split(name)
  else if (key === 'remove') found.remove(name)
  else if (key === 'lock' || key === 'unlock') void found.lock(name, key === 'lock')
  else if (key.startsWith('join ')) found.join(name, key.slice(5))
}

function missed() {
  const names = new Set(found.list?.map((one) => one.name))
  let n = 1
  while (names.has(`by hand ${n}`)) n += 1
  tools.take({ draw: 'face', track: `by hand ${n}` })
}

function size(value: number, meant: boolean) {
  found.change('Size of the cover', (one) => (one.size = withValue(one.size, lanes.sourceFrame, value / 100)), meant)
}

const NUMBERS: { name: 'margin' | 'feather'; label: string; low: number; high: number; reset: number }[] = [
  { name: 'margin', label: 'Margin', low: -200, high: 400, reset: 2 },
  { name: 'feather', label: 'Feather', low: 0, high: 400, reset: 8 },
]
</script>

<template>
  <FoundList
    what="face"
    unit="px"
    :menu="menu"
    none="No face was found. Lower Confidence from, or draw a face by hand."
    @act="act"
  />
  <div class="line">
    <NSelect
      size="tiny"
      :value="part.covers"
      :options="COVERS"
      aria-label="What is covered"
      @update:value="(to: Faces['covers']) => found.change('Change what is covered', (one) => (one.covers = to))"
    />
    <NSelect
      size="tiny"
      :value="part.form"
      :options="FORMS"
      aria-label="Form of the cover"
      @update:value="(to: Faces['form']) => found.change('Change form', (one) => (one.form = to))"
    />
    <NButton size="tiny" dashed :type="hand ? 'primary' : 'default'" title="Draw an oval on a face" @click="missed"
      >+ Face</NButton
    >
  </div>
  <div class="numbers">
    <NumberField
      label="Size"
      unit="%"
      :value="valueAt(part.size, lanes.sourceFrame) * 100"
      :low="10"
      :high="400"
      :reset="125"
      @trying="size($event, false)"
      @set="size($event, true)"
    />
    <NumberField
      v-for="one in NUMBERS"
      :key="one.name"
      :label="one.label"
      unit="px"
      :value="part[one.name]"
      :low="one.low"
      :high="one.high"
      :reset="one.reset"
      @trying="found.change(one.label, (each) => (each[one.name] = $event), false)"
      @set="found.change(one.label, (each) => (each[one.name] = $event))"
    />
    <NumberField
      label="Smoothing"
      unit="fr"
      :value="part.steady.position"
      :low="0"
      :high="25"
      :digits="1"
      :reset="0"
      title="Takes out jitter; for stickers and bars"
      @trying="
        found.change('Smoothing', (one) => (one.steady = { position: $event, scale: $event, rotation: $event }), false)
      "
      @set="found.change('Smoothing', (one) => (one.steady = { position: $event, scale: $event, rotation: $event }))"
    />
    <NumberField
      label="Confidence from"
      unit="%"
      :value="part.sure * 100"
      :low="10"
      :high="95"
      :reset="45"
      @set="found.change('Confidence from', (one) => (one.sure = $event / 100))"
    />
    <NumberField
      label="Smallest face"
      unit="px"
      :value="part.smallest"
      :low="4"
      :high="2000"
      :reset="10"
      @set="found.change('Smallest face', (one) => (one.smallest = $event))"
    />
  </div>
  <div class="line">
    <NCheckbox
      size="small"
      :checked="part.fine"
      title="Looks twice as often and by two networks; takes three times as long"
      @update:checked="(on: boolean) => found.change('Careful search', (one) => (one.fine = on))"
      >Careful search</NCheckbox
    >
  </div>
</template>
