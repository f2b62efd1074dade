<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import type { PictureRequest } from '../api/types'
import Lanes from '../lanes/Lanes.vue'
import LayersView from '../lanes/LayersView.vue'
import Card from '../panels/Card.vue'
import ItemCard from '../panels/ItemCard.vue'
import MotionCard from '../panels/MotionCard.vue'
import Recipes from '../panels/Recipes.vue'
import ToolHint from '../panels/ToolHint.vue'
import Missing from '../parts/Missing.vue'
import { grouped, useActions } from '../state/actions'
import { useStores } from '../state/stores'
import Picture from '../viewer/Picture.vue'
import Scopes from '../viewer/Scopes.vue'
import { benchActions } from './benchActions'

const route = useRoute()
const { session, selection, view, tools } = useStores()
const picture = ref<InstanceType<typeof Picture>>()
const wanted = ref<PictureRequest | null>(null)

onMounted(() => session.open(String(route.params.id)))
watch(
  () => route.params.id,
  (id) => typeof id === 'string' && void session.open(id),
)

// The first region of a shot is at hand when the shot is reached.
watch(
  () => selection.shot?.id,
  () => {
    tools.layDown()
    if (!selection.region) selection.select(selection.shot?.regions[0]?.id ?? null)
  },
)

useActions().offer(benchActions(picture))

const bench = ref<HTMLElement>()
/** Give the focus to the next part of the screen: picture, card, lanes. */
function goRound() {
  const parts = [...(bench.value?.children ?? [])].filter((one): one is HTMLElement => one instanceof HTMLElement)
  const now = parts.findIndex((one) => one.contains(document.activeElement))
  const next = parts[(now + 1) % parts.length]
  next.tabIndex = -1
  next.focus()
}
useActions().offer(() => grouped('Play and go', [{ says: 'Next part of the screen', keys: ['F6'], does: goRound }]))

const PRESSED = 'button, a, [role=checkbox], [type=radio]'
// A button that was clicked, or a list that was chosen from, gives the keys back, so that Space plays; one reached by keys
// keeps them.
useEventListener(window, 'click', (event: MouseEvent) => {
  const [active, target] = [document.activeElement, event.target]
  if (event.detail === 0 || !(active instanceof HTMLElement)) return
  const chosen = target instanceof HTMLElement && target.closest('.n-base-select-option')
  if (chosen || active.matches(PRESSED)) active.blur()
})
</script>

<template>
  <Missing v-if="session.missing" :sentence="session.missing" />
  <main v-else ref="bench" class="page bench" :class="{ scoped: view.below === 'scopes' }">
    <Picture ref="picture" class="view" @wanted="(wish) => (wanted = wish)" />
    <div class="side">
      <ItemCard v-if="view.below === 'layers' && selection.item" class="rest" />
      <MotionCard v-else-if="selection.motion" class="rest" />
      <Card v-else class="rest" />
      <ToolHint />
    </div>
    <Scopes v-if="view.below === 'scopes' && wanted" class="below" :wanted="wanted" />
    <LayersView v-else-if="view.below === 'layers'" class="below" />
    <Lanes v-else class="below" />
    <Recipes v-if="view.choosing" @close="view.choosing = false" />
  </main>
</template>

<style scoped>
.bench {
  display: grid;
  grid-template: minmax(240px, 1fr) minmax(150px, 192px) / minmax(0, 1fr) 320px;
  grid-template-areas: 'view side' 'below side';
  overflow: hidden;
}
.view {
  grid-area: view;
}
.side {
  grid-area: side;
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.rest {
  flex: 1;
}
.below {
  grid-area: below;
}
.bench.scoped {
  grid-template-rows: minmax(240px, 1fr) 248px;
}
@media (min-height: 1000px) {
  .bench {
    grid-template-rows: minmax(240px, 1fr) 280px;
  }
}
</style>
