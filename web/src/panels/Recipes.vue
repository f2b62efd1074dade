<script setup lang="ts">
// Recipes to choose, each shown as it would make the present frame.
import { NButton, NInput } from 'naive-ui'
import { onBeforeUnmount, onMounted, ref } from 'vue'
import { picture } from '../api/client'
import type { RecipeInfo } from '../api/types'
import Sheet from '../parts/Sheet.vue'
import { needsSpot, useLooks } from '../state/looks'
import { useStores } from '../state/stores'

const emit = defineEmits<{ close: [] }>()
const { session, selection, lanes } = useStores()
const state = useLooks()
const shown = ref<Record<string, string>>({})
const name = ref('')
const input = ref<HTMLInputElement>()
const THUMB = { width: 320, height: 180 }

onMounted(async () => {
  await state.loadRecipes()
  await previewAll()
})

let over = false
onBeforeUnmount(() => (over = true))

async function previewAll() {
  for (const one of state.recipes) if (!over && !shown.value[one.id]) await preview(one)
}

/** What the frame would be like; around the middle of the picture where a spot is asked for. */
async function preview(one: RecipeInfo) {
  if (!session.id || !selection.shot || !state.fits(one)) return
  const [width, height] = [selection.medium?.width ?? 1920, selection.medium?.height ?? 1080]
  const edit = {
    do: 'apply recipe' as const,
    shot: selection.shot.id,
    frame: lanes.sourceFrame,
    recipe: one.recipe,
    region: selection.regionId,
    width,
    spot: needsSpot(one) ? [width / 2, height / 4] : null,
  }
  try {
    const bitmap = await picture(session.id, { frame: selection.frame, ...THUMB, trial: { patch: [], edit } })
    const canvas = document.createElement('canvas')
    Object.assign(canvas, { width: bitmap.width, height: bitmap.height })
    canvas.getContext('2d')?.drawImage(bitmap, 0, 0)
    bitmap.close()
    shown.value = { ...shown.value, [one.id]: canvas.toDataURL('image/jpeg', 0.85) }
  } catch {
    // A recipe that does not fit here stays without a picture; choosing it says why.
  }
}

function choose(one: RecipeInfo) {
  emit('close')
  state.choose(one)
}

async function keep() {
  await state.keepRecipe(name.value)
  name.value = ''
  await previewAll()
}

async function read(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) await state.readRecipe(file)
  await previewAll()
}
</script>

<template>
  <Sheet title="Recipes" :width="1120" @close="emit('close')">
    <p class="soft about">
      {{
        selection.region
          ? `For ${selection.region.name}, on the present frame. A recipe adds its looks; everything can be changed afterwards.`
          : 'No region is selected: recipes that need one are grey. Those that hide faces or lettering find them.'
      }}
    </p>
    <ul class="recipes">
      <li v-for="one in state.recipes" :key="one.id">
        <button type="button" class="tile" :disabled="!state.fits(one)" :title="one.recipe.about" @click="choose(one)">
          <span class="thumb" :style="shown[one.id] ? { backgroundImage: `url(${shown[one.id]})` } : {}"></span>
          <strong class="fade">{{ one.recipe.name }}</strong>
          <span class="soft words">{{ one.recipe.about || 'Kept by you.' }}</span>
        </button>
        <span class="acts">
          <a class="plainbutton" :href="`/api/recipes/${one.id}.json`" :aria-label="`Save file of ${one.recipe.name}`"
            >Save file</a
          >
          <button
            v-if="one.own"
            class="plainbutton"
            type="button"
            :aria-label="`Delete the recipe ${one.recipe.name}`"
            @click="state.forgetRecipe(one.id)"
          >
            Delete
          </button>
        </span>
      </li>
    </ul>
    <template #action>
      <form class="keep" @submit.prevent="keep">
        <NInput
          v-model:value="name"
          size="small"
          placeholder="Name for the looks of this region"
          :input-props="{ 'aria-label': 'Name of the new recipe' }"
          :disabled="!selection.region"
        />
        <NButton size="small" attr-type="submit" :disabled="!selection.region || !name.trim()"
          >Keep as a recipe</NButton
        >
        <NButton size="small" @click="input?.click()">Open a file …</NButton>
        <input ref="input" hidden type="file" accept=".json" aria-label="Recipe file" @change="read" />
      </form>
    </template>
  </Sheet>
</template>

<style scoped>
.about {
  margin-bottom: 8px;
}
.recipes {
  display: grid;
  grid-template-columns: repeat(6, 1fr);
  gap: 12px;
  max-height: min(560px, 60vh);
  overflow: auto;
  padding: 2px;
}
.tile {
  all: unset;
  display: grid;
  gap: 2px;
  width: 100%;
  cursor: pointer;
}
.tile:disabled {
  opacity: 0.45;
  cursor: default;
}
.tile:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: 2px;
}
.tile:hover:not(:disabled) .thumb {
  box-shadow: 0 0 0 2px var(--control);
}
.thumb {
  aspect-ratio: 16 / 9;
  border-radius: 4px;
  background: var(--field) center / cover;
}
.words {
  font-size: 12px;
  line-height: 1.3;
  min-height: 2.6em;
}
.acts {
  display: flex;
  margin-left: -6px;
}
.keep {
  display: flex;
  gap: 8px;
}
</style>
