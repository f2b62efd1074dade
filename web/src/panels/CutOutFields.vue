<script setup lang="ts">
// What the selected cut-out is, and the strokes that say so.
import { NButton, NCheckbox, NSelect } from 'naive-ui'
import { computed, onMounted, ref } from 'vue'
import { api, content } from '../api/client'
import type { CutOut, Piece, Sort } from '../api/types'
import { useCutting } from '../state/cutting'
import { attempt } from '../state/say'
import { useStores } from '../state/stores'

const { selection, lanes, tools, commands } = useStores()
const cutting = useCutting()
const part = computed(() => selection.cutOut!)
const SORTS: { value: Sort | ''; label: string }[] = [
  { value: '', label: 'As it looks' },
  { value: 'person', label: 'A person' },
  { value: 'thing', label: 'A thing' },
  { value: 'everyone', label: 'Everyone but those marked off' },
  { value: 'sky', label: 'The sky' },
]
const PIECES: { value: Piece | ''; label: string }[] = [
  { value: '', label: 'All of them' },
  { value: 'head', label: 'Head' },
  { value: 'hair', label: 'Hair' },
  { value: 'face', label: 'Face' },
  { value: 'upper clothes', label: 'Upper clothes' },
  { value: 'arms', label: 'Arms' },
  { value: 'hands', label: 'Hands' },
  { value: 'legs', label: 'Legs' },
]
const pencil = computed(() => {
  const tool = tools.held('stroke')
  return tool?.part === part.value.id ? tool.include : null
})
const engines = ref<string[]>([])
const choices = computed(() => [
  { value: '', label: 'No engine of your own' },
  ...[...new Set([...engines.value, ...(part.value.engine ? [part.value.engine] : [])])].map((name) => ({
    value: name,
    label: `Engine: ${name}`,
  })),
])
onMounted(() => attempt(async () => (engines.value = await content(api.GET('/api/engines')))))
const strokes = computed(() => [...part.value.strokes].sort((a, b) => a.frame - b.frame))
const locked = computed(() => String(lanes.sourceFrame) in (part.value.locked ?? {}))

function press(include: boolean) {
  if (pencil.value === include) tools.layDown()
  else cutting.take(include)
}

function refine(fine: boolean) {
  commands.editPart(fine ? 'Fine borders' : 'Draft borders', (one) => ((one as CutOut).fine = fine))
  cutting.refill()
}

function become(sort: Sort | '') {
  commands.editPart('Change what it is', (one) => ((one as CutOut).sort = sort || null))
  cutting.refill()
}

function leave(piece: Piece | '') {
  commands.editPart('Change part of the body', (one) => ((one as CutOut).piece = piece || null))
  cutting.refill()
}

/** A soft edge instead; the camera is followed for it. */
async function horizon() {
  const { width, height } = selection.medium ?? {}
  const which = part.value.id
  if (!width || !height) return
  const well = await commands.change((shot) => ({ do: 'horizon for sky', shot, part: which, width, height }))
  const camera = selection.createdMotion()
  if (well && camera) commands.follow({ motion: camera.id }, 'both')
}

function ask(engine: string) {
  commands.editPart('Change engine', (one) => ((one as CutOut).engine = engine || null))
  cutting.refill()
}
</script>

<template>
  <div class="line">
    <NSelect size="tiny" :value="part.sort ?? ''" :options="SORTS" aria-label="What it is" @update:value="become" />
    <NSelect
      v-if="!part.sort || part.sort === 'person'"
      size="tiny"
      :value="part.piece ?? ''"
      :options="PIECES"
      aria-label="Part of the body"
      title="Of a person: which part of the body"
      @update:value="leave"
    />
  </div>
  <div v-if="choices.length > 1" class="line">
    <NSelect size="tiny" :value="part.engine ?? ''" :options="choices" aria-label="Engine" @update:value="ask" />
  </div>
  <div class="line">
    <NButton
      size="tiny"
      :type="pencil === true ? 'primary' : 'default'"
      :aria-pressed="pencil === true"
      title="Draw over what belongs to it (S)"
      @click="press(true)"
      >+ This</NButton
    >
    <NButton
      size="tiny"
      :type="pencil === false ? 'primary' : 'default'"
      :aria-pressed="pencil === false"
      title="Draw over what does not belong to it (Shift+S, or Alt while drawing)"
      @click="press(false)"
      >− Not this</NButton
    >
    <NCheckbox v-model:checked="cutting.shown" size="small">Strokes</NCheckbox>
  </div>
  <NCheckbox
    v-if="strokes.length"
    v-model:checked="cutting.comparing"
    size="small"
    title="A dashed line where the border was before the last stroke that changed this frame"
    >Outline before the last stroke</NCheckbox
  >
  <ul class="strokes" aria-label="Strokes">
    <li v-for="one in strokes" :key="one.id" :class="{ here: one.frame === lanes.sourceFrame }">
      <button class="plainbutton" type="button" @click="selection.go(lanes.sequenceFrame(one.frame))">
        {{ one.include ? '+ this' : '− not this' }} <span class="soft number">frame {{ one.frame }}</span>
      </button>
      <button
        class="plainbutton"
        type="button"
        :aria-label="`Delete the stroke on frame ${one.frame}`"
        @click="cutting.remove(one.id)"
      >
        Delete
      </button>
    </li>
  </ul>
  <button
    v-if="part.sort === 'sky'"
    class="plainbutton dashed"
    type="button"
    title="Where the sky cannot be told from the land: a soft straight edge that moves with the camera"
    @click="horizon"
  >
    A horizon in its place
  </button>
  <NCheckbox
    v-if="part.sort !== 'sky'"
    size="small"
    :checked="part.fine"
    title="Partly transparent borders, as in hair; for people, and slower"
    @update:checked="(on: boolean) => refine(on)"
    >Fine borders of people</NCheckbox
  >
  <NCheckbox
    size="small"
    :checked="locked"
    title="The matte of this frame stays as it is, whatever is drawn later"
    @update:checked="(on: boolean) => cutting.lock(on)"
    >Lock this frame</NCheckbox
  >
</template>

<style scoped>
.dashed {
  border: 1px dashed var(--control);
}
.strokes {
  max-height: 84px;
  overflow-y: auto;
}
.strokes li {
  display: flex;
  justify-content: space-between;
}
.strokes .here {
  background: var(--raised);
}
</style>
