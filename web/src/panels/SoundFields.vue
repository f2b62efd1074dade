<script setup lang="ts">
// What a shot lets hear: its sound as a whole, and stretches of it that are silent, toned over, or in another voice.
import { NButton, NCheckbox, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Shot, SoundSpan } from '../api/types'
import NumberField from '../parts/NumberField.vue'
import { shotsOf } from '../state/shots'
import { newId } from '../state/numbers'
import { useStores } from '../state/stores'

const { session, selection, lanes } = useStores()
const shot = computed(() => selection.shot!)
const spans = computed(() => [...shot.value.sounds].sort((one, other) => one.first - other.first))
const HOWS: { value: SoundSpan['how']; label: string }[] = [
  { value: 'mute', label: 'mute' },
  { value: 'tone', label: 'a tone' },
  { value: 'voice', label: 'pitch' },
]

function change(label: string, what: (one: Shot) => void) {
  const id = shot.value.id
  void session.edit(label, (document) => {
    for (const one of shotsOf(document)) if (one.id === id) what(one)
  })
}

function changeSpan(label: string, id: string, what: (one: SoundSpan) => void) {
  change(label, (one) => one.sounds.forEach((each) => each.id === id && what(each)))
}

/** A second from the playhead on. */
function add() {
  const first = lanes.sourceFrame
  const last = Math.min(first + Math.round(session.rate) - 1, shot.value.last)
  const id = newId()
  change('Mute a span', (one) => one.sounds.push({ id, first, last, how: 'mute', voice: -5 }))
}
</script>

<template>
  <NCheckbox
    :checked="!shot.sound"
    @update:checked="(on: boolean) => change(on ? 'Mute' : 'Do not mute', (one) => (one.sound = !on))"
    >Mute</NCheckbox
  >
  <template v-if="shot.sound">
    <NumberField
      label="Volume"
      unit="dB"
      :value="shot.gain"
      :low="-60"
      :high="12"
      :digits="1"
      :reset="0"
      @set="(to) => change('Volume', (one) => (one.gain = to))"
    />
    <NumberField
      label="Pitch, semitones"
      :value="shot.voice"
      :low="-12"
      :high="12"
      :digits="1"
      :reset="0"
      title="Five lower is not recognised casually; the length stays"
      @set="(to) => change('Pitch', (one) => (one.voice = to))"
    />
    <NCheckbox
      size="small"
      :checked="shot.throat"
      title="Sounds more natural, and is easier to recognise"
      @update:checked="(on: boolean) => change('Keep formants', (one) => (one.throat = on))"
      >Keep formants</NCheckbox
    >
    <ul v-if="spans.length" class="spans" aria-label="Spans of sound">
      <li v-for="(one, index) in spans" :key="one.id">
        <NumberField
          tight
          label="From"
          :name="`First frame of span ${index + 1}`"
          :value="one.first"
          :low="shot.first"
          :high="one.last"
          @set="(to) => changeSpan('Move a span', one.id, (each) => (each.first = to))"
        />
        <NumberField
          tight
          label="To"
          :name="`Last frame of span ${index + 1}`"
          :value="one.last"
          :low="one.first"
          :high="shot.last"
          @set="(to) => changeSpan('Move a span', one.id, (each) => (each.last = to))"
        />
        <NSelect
          size="tiny"
          :value="one.how"
          :options="HOWS"
          :aria-label="`What is heard in span ${index + 1}`"
          @update:value="(to: SoundSpan['how']) => changeSpan('Change a span', one.id, (each) => (each.how = to))"
        />
        <NumberField
          v-if="one.how === 'voice'"
          tight
          label="Pitch"
          :name="`Semitones of span ${index + 1}`"
          :value="one.voice"
          :low="-12"
          :high="12"
          :digits="1"
          @set="(to) => changeSpan('Pitch of a span', one.id, (each) => (each.voice = to))"
        />
        <span v-else></span>
        <button
          class="plainbutton"
          type="button"
          :aria-label="`Delete span ${index + 1}`"
          @click="change('Delete a stretch', (all) => (all.sounds = all.sounds.filter((each) => each.id !== one.id)))"
        >
          Delete
        </button>
      </li>
    </ul>
    <NButton
      size="tiny"
      dashed
      title="A second from the playhead on: muted, a tone over it, or at another pitch"
      @click="add"
      >+ Span from here</NButton
    >
  </template>
</template>

<style scoped>
.spans {
  display: grid;
  gap: 6px;
}
.spans li {
  display: grid;
  grid-template-columns: 50px 50px 78px 46px auto;
  align-items: end;
  gap: 6px;
}
</style>
