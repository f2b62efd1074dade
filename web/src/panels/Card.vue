<script setup lang="ts">
// The selected region, in the order of the work: what it is, its edge, what it moves with, what is done to it.
import { NButton, NDropdown } from 'naive-ui'
import { computed } from 'vue'
import type { SetUp } from '../api/types'
import { clipOptions, SCROLLS } from '../parts/clipMenu'
import NameField from '../parts/NameField.vue'
import Swatch from '../parts/Swatch.vue'
import { lengthOf } from '../parts/words'
import { SIDES, useLooks } from '../state/looks'
import { shotsOf } from '../state/shots'
import { useShelf } from '../state/shelf'
import { useStores } from '../state/stores'
import { useWalk } from '../state/walk'
import Propagation from './Propagation.vue'
import Edge from './Edge.vue'
import Fold from './Fold.vue'
import Guide from './Guide.vue'
import Looks from './Looks.vue'
import Moves from './Moves.vue'
import Parts from './Parts.vue'
import RegionEdge from './RegionEdge.vue'
import ShotFields from './ShotFields.vue'
import SoundFields from './SoundFields.vue'

const { session, selection, view, commands, arranging } = useStores()
const walk = useWalk()
const looks = useLooks()
const shelf = useShelf()
const region = computed(() => selection.region)
// While a look is worked on the card leaves its room to it.
const open = computed(() => SIDES.some((side) => region.value?.[side].some((look) => look.id === looks.open)))

function rename(name: string) {
  void commands.editRegion('Rename region', (one) => {
    one.name = name
  })
}

const clips = computed(() => shelf.pictured.filter((clip) => clip.id !== selection.medium?.id))
const setUps = computed(() => {
  const clipsFor = (what: SetUp) => clipOptions(clips.value, (clip) => `${what}|${clip.id}`)
  const sky = region.value?.parts.some((part) => part.kind === 'cut-out' && part.sort === 'sky')
  return [
    ...(sky ? [{ key: 'sky', label: 'Another sky', children: clipsFor('exchange sky') }] : []),
    { key: 'text behind|', label: 'Text behind this' },
    {
      key: 'replace',
      label: 'Replace what is behind this',
      children: [{ key: 'replace behind|', label: 'A colour' }, ...clipsFor('replace behind')],
    },
    { key: 'background apart|', label: 'Treat background separately' },
    { key: 'arrive first|', label: 'Let this arrive before its background' },
  ]
})

function setUp(key: string) {
  const [what, medium] = key.split('|')
  void arranging.setUp(what as SetUp, medium || null)
}

const original = computed(() => shotsOf(session.document).find((one) => one.id === region.value?.same_as?.shot))
const originalName = computed(() => original.value?.name ?? 'another shot')

function toOriginal() {
  const [shot, of] = [original.value, region.value?.same_as?.region]
  const span = session.state?.spans.find((one) => one.shot === shot?.id)
  if (!span || !of) return
  view.showRegion(Math.min(Math.max(selection.frame, span.start), span.start + span.length - 1), of)
  selection.itemId = span.shot
}

function remove(which: string) {
  void commands.change((shot) => ({ do: 'remove region', shot, region: which }))
}
</script>

<template>
  <aside class="card" aria-label="Card of what is selected">
    <Guide />
    <template v-if="region">
      <header>
        <Swatch :colour="region.colour" />
        <NameField class="name" label="Name of the region" :value="region.name" @set="rename" />
        <button class="plainbutton" type="button" title="Recipes (O)" @click="view.choosing = true">Recipes</button>
        <NDropdown trigger="click" v-bind="SCROLLS" :options="setUps" @select="setUp">
          <button class="plainbutton" type="button" title="Something behind this region, in one step">Behind …</button>
        </NDropdown>
        <button
          class="plainbutton"
          type="button"
          aria-label="Delete the region"
          title="Delete the region (Delete)"
          @click="remove(region.id)"
        >
          ×
        </button>
      </header>
      <button v-if="open" class="plainbutton back" type="button" @click="looks.open = null">
        ‹ What it is, its edge, what it moves with
      </button>
      <Fold v-else-if="region.same_as" title="What" note="the same as another one">
        <p class="soft">
          What it consists of and its edge are those of a region of {{ originalName }}, also when they are put right
          there.
        </p>
        <div class="acts">
          <NButton size="tiny" @click="toOriginal">Go to it</NButton>
          <NButton
            size="tiny"
            title="It keeps what it has now and is corrected by itself from here on"
            @click="commands.editRegion('Part from the original', (one) => (one.same_as = null))"
            >Part from it</NButton
          >
        </div>
      </Fold>
      <template v-else>
        <Parts />
        <Edge v-if="selection.shape" />
        <RegionEdge v-else />
        <Propagation v-if="selection.cutOut" />
        <Moves v-else-if="selection.shape || !selection.part" />
      </template>
      <Looks side="inside" title="Inside looks" />
      <Looks side="outside" title="Outside looks" />
    </template>
    <div v-else class="none">
      <template v-if="selection.shot && selection.medium">
        <h3 class="fade" :title="selection.shot.name">{{ selection.shot.name }}</h3>
        <p class="soft number">
          {{ selection.medium.width }} × {{ selection.medium.height }} · {{ lengthOf(selection.medium.seconds ?? 0) }} ·
          {{ selection.medium.codec }}
        </p>
        <ShotFields />
        <SoundFields v-if="selection.medium.sound" />
      </template>
      <button
        v-if="selection.shot"
        class="plainbutton dashed"
        type="button"
        title="Recipes (O)"
        @click="view.choosing = true"
      >
        Recipes for the whole picture …
      </button>
      <p v-if="selection.shot?.regions.length" class="soft">Select a region in its row or in the picture.</p>
      <ol v-else-if="selection.shot && (!walk.place || walk.place.left)" class="soft">
        <li>Go to a frame where the person or thing is large and clear.</li>
        <li>Press A person or thing (S) and draw a line over it. Faces, lettering and the sky are found at a press.</li>
        <li>Propagate (F), then look at the lane: hatched is a guess, a notch is a doubt.</li>
        <li>Choose what happens inside and outside.</li>
      </ol>
    </div>
  </aside>
</template>

<style scoped>
.back {
  justify-content: flex-start;
  width: 100%;
  height: 28px;
  padding: 0 12px;
  border-bottom: 1px solid var(--line);
}
.acts {
  display: flex;
  gap: 6px;
}
.none {
  display: grid;
  gap: 10px;
  padding: 12px;
}
.dashed {
  border: 1px dashed var(--control);
}
.none ol {
  margin: 0;
  padding-left: 18px;
  display: grid;
  gap: 6px;
}
</style>
