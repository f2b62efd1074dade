<script setup lang="ts">
// The chosen item of the layers: what it is, where it lies, how it comes and goes, how it is laid over what is beneath.
import { NButton, NCheckbox, NInput, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { Blend, Item, Placed, Shot, Solid, Title } from '../api/types'
import ColourField from '../parts/ColourField.vue'
import NameField from '../parts/NameField.vue'
import NumberField from '../parts/NumberField.vue'
import { ticked, tickOf, valueAt, withValue } from '../state/numbers'
import { useStores } from '../state/stores'
import Fold from './Fold.vue'
import ShotFields from './ShotFields.vue'
import SoundFields from './SoundFields.vue'

const { session, selection, arranging } = useStores()
const item = computed(() => selection.item!)
const title = computed(() => (item.value.kind === 'title' ? item.value : null))
const solid = computed(() => (item.value.kind === 'solid' ? item.value : null))
const shot = computed(() => (item.value.kind === 'shot' ? item.value : null))
const at = computed(() => Math.max(selection.frame - item.value.start, 0))
const FAMILIES = ['Manrope', 'Source Sans', 'Source Serif', 'Amatic'].map((one) => ({ label: one, value: one }))
const ALIGNS = [
  { label: 'Left', value: 'left' },
  { label: 'Centre', value: 'middle' },
  { label: 'Right', value: 'right' },
]
const BLENDS: { label: string; value: Blend }[] = [
  { label: 'Normal', value: 'normal' },
  { label: 'Multiply', value: 'multiply' },
  { label: 'Screen', value: 'screen' },
  { label: 'Add', value: 'add' },
]
const words = ref('')
watch(
  () => title.value?.text,
  (text) => (words.value = text ?? ''),
  { immediate: true },
)

type Label = string
function set<T extends Item>(label: Label, to: (one: T) => void, meant = true) {
  arranging.editItem(label, (one) => to(one as T), meant)
}

type Numbers = Record<string, number | ReturnType<typeof withValue>>
/** A number that can change over time, of the item's place or of the title itself. */
function number(of: 'place' | 'own', name: string, label: string, value: number, meant: boolean) {
  const frame = at.value
  arranging.editItem(
    label,
    (one) => {
      const holder = (of === 'place' ? one.place : one) as unknown as Numbers
      holder[name] = withValue(holder[name], frame, value)
    },
    meant,
  )
}

function tick(of: 'place' | 'own', name: string) {
  const frame = at.value
  arranging.editItem('Set by hand', (one) => {
    const holder = (of === 'place' ? one.place : one) as unknown as Numbers
    holder[name] = ticked(holder[name], frame)
  })
}

const PLACES: { name: keyof Placed; label: string; unit: string; factor: number; low?: number; high?: number }[] = [
  { name: 'x', label: 'X', unit: 'px', factor: 1 },
  { name: 'y', label: 'Y', unit: 'px', factor: 1 },
  { name: 'scale', label: 'Scale', unit: '%', factor: 100, low: 1, high: 1000 },
  { name: 'rotation', label: 'Rotation', unit: '°', factor: 1 },
  { name: 'opacity', label: 'Opacity', unit: '%', factor: 100, low: 0, high: 100 },
]
const rides = computed(() => {
  const found = (session.document?.layers ?? []).flatMap((layer) => layer.items)
  const motions = found.flatMap((one) =>
    one.kind === 'shot' && one.id !== item.value.id
      ? one.motions.map((motion) => ({ label: `${motion.name} of ${one.name}`, value: `${one.id} ${motion.id}` }))
      : [],
  )
  return [{ label: 'Nothing', value: '' }, ...motions]
})
const rode = computed(() =>
  item.value.attached_to ? `${item.value.attached_to.shot} ${item.value.attached_to.motion}` : '',
)
const clears = computed(() =>
  shot.value?.regions.some((one) => [...one.inside, ...one.outside].some((look) => look.kind === 'transparent')),
)
const LIGHTS = [
  {
    name: 'match',
    label: 'Light of what is behind',
    low: 0,
    title: 'How much it takes on the light of what is behind it',
  },
  { name: 'spill', label: 'Take tint off the rim', low: 0, title: 'Colours of the old background on the rim go' },
  { name: 'edge', label: 'Rim brighter', low: -100, title: 'Below 0 the rim is darker' },
  { name: 'shadow', label: 'Shadow at the foot', low: 0, title: 'A soft flat shadow on what is behind it' },
] as const

function ride(value: string) {
  const [of, motion] = value.split(' ')
  set('Move with', (one) => (one.attached_to = value ? { shot: of, motion } : null))
}
</script>

<template>
  <aside class="card" aria-label="Card of what is selected">
    <header>
      <NameField
        class="name"
        label="Name of the item"
        :value="item.name"
        @set="(name: string) => set('Rename', (one) => (one.name = name))"
      />
      <button class="plainbutton" type="button" title="Remove (Delete)" @click="arranging.arrange('remove')">
        Remove
      </button>
    </header>
    <Fold v-if="title" title="Text">
      <NInput
        v-model:value="words"
        type="textarea"
        size="small"
        :autosize="{ minRows: 2, maxRows: 5 }"
        maxlength="4000"
        :input-props="{ 'aria-label': 'Text of the title' }"
        @update:value="(text: string) => set<Title>('Text', (one) => (one.text = text), false)"
        @blur="words !== title.text && set<Title>('Text', (one) => (one.text = words))"
      />
      <div class="line">
        <NSelect
          size="tiny"
          :value="title.family"
          :options="FAMILIES"
          aria-label="Typeface"
          @update:value="(to: Title['family']) => set<Title>('Typeface', (one) => (one.family = to))"
        />
        <NSelect
          size="tiny"
          :value="title.align"
          :options="ALIGNS"
          aria-label="Alignment"
          @update:value="(to: Title['align']) => set<Title>('Alignment', (one) => (one.align = to))"
        />
      </div>
      <NumberField
        label="Size"
        unit="px"
        :value="valueAt(title.size, at)"
        :low="4"
        :high="2000"
        :tick="tickOf(title.size, at)"
        @trying="number('own', 'size', 'Text size', $event, false)"
        @set="number('own', 'size', 'Text size', $event, true)"
        @tick="tick('own', 'size')"
      />
      <NumberField
        label="Letter spacing"
        unit="%"
        :value="valueAt(title.tracking, at)"
        :low="-30"
        :high="300"
        :reset="0"
        :tick="tickOf(title.tracking, at)"
        @trying="number('own', 'tracking', 'Letter spacing', $event, false)"
        @set="number('own', 'tracking', 'Letter spacing', $event, true)"
        @tick="tick('own', 'tracking')"
      />
      <div class="line">
        <ColourField
          label="Text colour"
          :value="title.colour"
          @trying="(to: string) => set<Title>('Colour', (one) => (one.colour = to), false)"
          @set="(to: string) => set<Title>('Colour', (one) => (one.colour = to))"
        />
        <ColourField
          label="Outline colour"
          :value="title.outline_colour"
          @trying="(to: string) => set<Title>('Outline colour', (one) => (one.outline_colour = to), false)"
          @set="(to: string) => set<Title>('Outline colour', (one) => (one.outline_colour = to))"
        />
      </div>
      <NumberField
        label="Outline"
        unit="px"
        :value="title.outline"
        :low="0"
        :high="60"
        :reset="0"
        @trying="(to: number) => set<Title>('Outline', (one) => (one.outline = to), false)"
        @set="(to: number) => set<Title>('Outline', (one) => (one.outline = to))"
      />
      <NumberField
        label="Shadow"
        unit="%"
        :value="title.shadow * 100"
        :low="0"
        :high="100"
        :reset="0"
        @trying="(to: number) => set<Title>('Shadow', (one) => (one.shadow = to / 100), false)"
        @set="(to: number) => set<Title>('Shadow', (one) => (one.shadow = to / 100))"
      />
      <NCheckbox
        size="small"
        :checked="title.bold"
        @update:checked="(on: boolean) => set<Title>('Bold', (one) => (one.bold = on))"
        >Bold</NCheckbox
      >
    </Fold>
    <Fold v-if="solid" title="Colour">
      <ColourField
        label="Colour"
        :value="solid.colour"
        @trying="(to: string) => set<Solid>('Colour', (one) => (one.colour = to), false)"
        @set="(to: string) => set<Solid>('Colour', (one) => (one.colour = to))"
      />
    </Fold>
    <Fold title="Timing">
      <ShotFields v-if="shot && selection.shot?.id === shot.id" />
      <NumberField
        v-if="title || solid"
        label="Duration"
        unit="fr"
        :value="(title ?? solid)!.length"
        :low="1"
        @set="(to: number) => set<Title>('Duration', (one) => (one.length = to))"
      />
      <NumberField
        label="Fade in"
        unit="fr"
        :value="item.fade_in"
        :low="0"
        :reset="0"
        @set="(to: number) => set('Fade in', (one) => (one.fade_in = to))"
      />
      <NumberField
        label="Fade out"
        unit="fr"
        :value="item.fade_out"
        :low="0"
        :reset="0"
        @set="(to: number) => set('Fade out', (one) => (one.fade_out = to))"
      />
      <div class="acts">
        <NButton size="tiny" title="Fades in while the item before it fades out" @click="arranging.arrange('crossfade')"
          >Crossfade with the one before</NButton
        >
        <NButton
          v-if="shot"
          size="tiny"
          title="The playhead's frame is held for a second"
          @click="arranging.arrange('freeze')"
          >Freeze frame</NButton
        >
      </div>
    </Fold>
    <Fold title="Place" :closed="title !== null">
      <NumberField
        v-for="one in PLACES"
        :key="one.name"
        :label="one.label"
        :unit="one.unit"
        :value="valueAt(item.place[one.name], at) * one.factor"
        :low="one.low"
        :high="one.high"
        :reset="one.factor === 100 ? 100 : 0"
        :tick="tickOf(item.place[one.name], at)"
        @trying="number('place', one.name, one.label, $event / one.factor, false)"
        @set="number('place', one.name, one.label, $event / one.factor, true)"
        @tick="tick('place', one.name)"
      />
      <label class="field">
        <span class="soft">Moves with</span>
        <NSelect size="tiny" :value="rode" :options="rides" aria-label="Moves with" @update:value="ride" />
      </label>
      <NCheckbox
        v-if="shot"
        size="small"
        :checked="shot.mirrored"
        title="Beyond its edges its mirror image goes on"
        @update:checked="(on: boolean) => set<Shot>('Mirrored', (one) => (one.mirrored = on))"
        >Mirrored beyond its edges</NCheckbox
      >
    </Fold>
    <Fold title="Blending" closed>
      <NSelect
        size="tiny"
        :value="item.blend"
        :options="BLENDS"
        aria-label="Blending"
        @update:value="(to: Blend) => set('Blending', (one) => (one.blend = to))"
      />
      <template v-if="shot && clears">
        <NumberField
          v-for="one in LIGHTS"
          :key="one.name"
          :label="one.label"
          unit="%"
          :title="one.title"
          :value="(shot.light[one.name] ?? 0) * 100"
          :low="one.low"
          :high="100"
          :reset="0"
          @trying="(to: number) => set<Shot>(one.label, (each) => (each.light[one.name] = to / 100), false)"
          @set="(to: number) => set<Shot>(one.label, (each) => (each.light[one.name] = to / 100))"
        />
      </template>
    </Fold>
    <Fold v-if="shot && selection.shot?.id === shot.id && selection.medium?.sound" title="Sound" help="shots" closed
      ><SoundFields
    /></Fold>
  </aside>
</template>
