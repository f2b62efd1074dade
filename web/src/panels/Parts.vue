<script setup lang="ts">
// What the region consists of, one part after the other, and the numbers of the selected one.
import { NButton, NDropdown, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { How, Kind, Part } from '../api/types'
import { clipOptions, SCROLLS } from '../parts/clipMenu'
import NameField from '../parts/NameField.vue'
import { SHAPES } from '../shapes'
import { useClip } from '../state/clip'
import { isShape } from '../state/numbers'
import { useShelf } from '../state/shelf'
import { useStores } from '../state/stores'
import type { PartCard } from './parts/card'
import { cardOf, CARDS } from './parts'
import Fold from './Fold.vue'
import ShapeFields from './ShapeFields.vue'

const { session, selection, tools, commands } = useStores()
const clip = useClip()
const shelf = useShelf()
const films = computed(() => {
  const clips = shelf.pictured.filter((one) => one.id !== selection.medium?.id)
  return clips.length ? clipOptions(clips) : [{ key: '', label: NO_FILMS, disabled: true }]
})
const region = computed(() => selection.region!)
const fields = computed(() => cardOf(selection.part?.kind)?.fields)
const NO_FILMS = 'Put the grey clip on the shelf first'
const HOW: { value: How; label: string; sign: string }[] = [
  { value: 'add', label: 'Add', sign: '+' },
  { value: 'subtract', label: 'Subtract', sign: '−' },
  { value: 'intersect', label: 'Intersect', sign: '×' },
]

function move(which: string, by: -1 | 1) {
  void commands.editRegion('Reorder shapes', (one) => {
    const from = one.parts.findIndex((each) => each.id === which)
    const to = from + by
    if (from < 0 || to < 0 || to >= one.parts.length) return
    one.parts.splice(to, 0, ...one.parts.splice(from, 1))
  })
}

const menuOf = (one: Part) => [
  { key: 'up', label: 'Earlier' },
  { key: 'down', label: 'Later' },
  { key: 'duplicate', label: 'Duplicate' },
  { key: 'copy', label: 'Copy (Ctrl+C)' },
  { key: 'paste', label: 'Paste after it (Ctrl+V)', disabled: !clip.held },
  ...(!isShape(one) ? [] : [{ key: 'svg', label: 'Save as SVG' }]),
  { key: 'remove', label: 'Remove' },
]

function act(key: string, one: Part) {
  const run: Record<string, () => void> = {
    up: () => move(one.id, -1),
    down: () => move(one.id, 1),
    duplicate: () => void commands.addShape(structuredClone(one), region.value.id),
    copy: () => clip.copy(one),
    paste: () => void clip.paste(),
    svg: () => window.open(`/api/projects/${session.id}/shapes/${selection.shot?.id}/${one.id}.svg`, '_self'),
    remove: () => void commands.change((shot) => ({ do: 'remove part', shot, part: one.id })),
  }
  run[key]?.()
}

/** Begin one more part of a kind, with a clip where it takes one. */
function begin(card: PartCard, id: string | null = null) {
  card.begin(region.value.id, id === null ? null : { id, name: shelf.medium(id)?.name ?? 'Clip' })
}

/** The shape that is being added to this region. */
const drawing = computed(() => {
  const tool = tools.inHand
  return tool && 'into' in tool && tool.into === region.value.id ? tool.draw : null
})

function draw(kind: Kind) {
  tools.toggle({ draw: kind, into: region.value.id })
}
</script>

<template>
  <Fold title="What" :note="region.parts.length === 1 ? selection.part?.name : `${region.parts.length} parts`">
    <ul class="parts">
      <li v-for="(one, index) in region.parts" :key="one.id" :class="{ selected: one.id === selection.part?.id }">
        <NSelect
          size="tiny"
          class="how"
          :value="one.how"
          :options="HOW"
          :consistent-menu-width="false"
          :aria-label="`How ${one.name} combines`"
          :title="index ? 'How it combines with what is above' : 'How it begins'"
          :render-tag="({ option }) => String(option.sign)"
          @update:value="(to: How) => commands.editPart(`${one.name} ${to}s`, (each) => (each.how = to), true, one.id)"
        />
        <NameField
          class="name"
          :label="`Name of shape ${index + 1}`"
          :value="one.name"
          @focusin="selection.select(region.id, one.id)"
          @set="(name: string) => commands.editPart('Rename shape', (each) => (each.name = name), true, one.id)"
        />
        <NDropdown trigger="click" size="small" :options="menuOf(one)" @select="(key: string) => act(key, one)">
          <button class="plainbutton" type="button" :aria-label="`More for ${one.name}`">more</button>
        </NDropdown>
      </li>
    </ul>
    <div class="add">
      <span class="soft" aria-hidden="true">Add:</span>
      <NButton
        v-for="kind in SHAPES"
        :key="kind.kind"
        size="tiny"
        dashed
        :type="drawing === kind.kind ? 'primary' : 'default'"
        :aria-pressed="drawing === kind.kind"
        :aria-label="`Add shape: ${kind.label}`"
        @click="draw(kind.kind)"
        >{{ kind.label }}</NButton
      >
      <template v-for="card in CARDS" :key="card.kind">
        <NDropdown
          v-if="card.takesClip"
          trigger="click"
          size="small"
          v-bind="SCROLLS"
          :options="films"
          @select="(id: string) => begin(card, id)"
        >
          <NButton size="tiny" dashed :title="card.title" :aria-label="`Add part: ${card.label} from a clip`">{{
            card.label
          }}</NButton>
        </NDropdown>
        <NButton
          v-else
          size="tiny"
          dashed
          :title="card.title"
          :aria-label="`Add part: ${card.label}`"
          @click="begin(card)"
          >{{ card.label }}</NButton
        >
      </template>
    </div>
    <ShapeFields v-if="selection.shape" :key="selection.shape.kind" />
    <component :is="fields" v-else-if="fields" />
  </Fold>
</template>

<style scoped>
.parts {
  display: grid;
  gap: 2px;
  max-height: 116px;
  overflow: auto;
}
.parts li {
  display: flex;
  align-items: center;
  gap: 4px;
  border-left: 3px solid transparent;
  padding-left: 4px;
}
.parts li.selected {
  border-left-color: var(--accent);
  background: var(--raised);
}
.how {
  width: 48px;
  flex: none;
}
.name {
  flex: 1;
}
</style>
