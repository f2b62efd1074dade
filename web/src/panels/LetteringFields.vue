<script setup lang="ts">
// The lines of text of a shot: what was found, which are covered, and how.
import { NInput } from 'naive-ui'
import { computed } from 'vue'
import NumberField from '../parts/NumberField.vue'
import { useFound } from '../state/found'
import FoundList from './FoundList.vue'

const found = useFound()
const part = computed(() => found.lettering!)
const NUMBERS: { name: 'margin' | 'feather' | 'smallest'; label: string; low: number; high: number; reset: number }[] =
  [
    { name: 'margin', label: 'Margin', low: -200, high: 400, reset: 4 },
    { name: 'feather', label: 'Feather', low: 0, high: 400, reset: 4 },
    { name: 'smallest', label: 'Smallest text', low: 0, high: 2000, reset: 0 },
  ]
</script>

<template>
  <FoundList what="line" unit="px high" none="No lettering was found in this shot." />
  <NInput
    size="tiny"
    :value="part.words"
    placeholder="Only lines that say …"
    aria-label="Only lines that say"
    :maxlength="400"
    clearable
    @change="(words: string) => found.changeLines('Only lines that say', (one) => (one.words = words))"
  />
  <div class="numbers">
    <NumberField
      v-for="one in NUMBERS"
      :key="one.name"
      :label="one.label"
      unit="px"
      :value="part[one.name]"
      :low="one.low"
      :high="one.high"
      :reset="one.reset"
      @trying="found.changeLines(one.label, (each) => (each[one.name] = $event), false)"
      @set="found.changeLines(one.label, (each) => (each[one.name] = $event))"
    />
  </div>
</template>
