<script setup lang="ts">
// The whole film: how every shot stands, the same in many of them at once, and who is who.
import { NButton, NCheckbox, NProgress, NSelect } from 'naive-ui'
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { ShotLine } from '../api/types'
import Missing from '../parts/Missing.vue'
import StandingMark from '../parts/StandingMark.vue'
import { lengthOf } from '../parts/words'
import { placeIn, STANDINGS, useFilm, type Standing } from '../state/film'
import { needsSpot, useLooks } from '../state/looks'
import { useShelf } from '../state/shelf'
import { isShape } from '../state/numbers'
import { shotsOf } from '../state/shots'
import { standing as waiting, useWork } from '../state/work'
import { useStores } from '../state/stores'
import Alike from './Alike.vue'
import People from './People.vue'

const route = useRoute()
const router = useRouter()
const { session, view } = useStores()
const film = useFilm()
const looks = useLooks()
const work = useWork()
const shelf = useShelf()
const only = ref<Standing | null>(null)
const left = ref(new Set<string>()) // shots that are ticked off
const what = ref('find faces')

const FINDS = [
  { label: 'Hide faces', value: 'find faces', finds: 'faces', hide: true },
  { label: 'Hide lettering', value: 'find lettering', finds: 'lettering', hide: true },
  { label: 'Hide number plates', value: 'find plates', finds: 'plates', hide: true },
  { label: 'Hide whole people', value: 'find people', finds: 'people', hide: true },
  { label: 'Find the sky', value: 'find sky', finds: 'sky', hide: false },
]
/** Regions that have looks, which other shots can have as well. */
const treated = computed(() =>
  shotsOf(session.document).flatMap((shot) =>
    shot.regions
      .filter((one) => one.inside.length || one.outside.length)
      .map((one) => ({ shot: shot.id, region: one.id, label: `${one.name} of ${shot.name}` })),
  ),
)
const recipes = computed(() => looks.recipes.filter((one) => !needsSpot(one) && one.recipe.regions.every(goesAlone)))
const goesAlone = (one: { place?: string; finds?: string | null }) => one.place !== 'selected' || !!one.finds
/** Drawn regions, which may be looked for in the other shots. */
const drawn = computed(() =>
  shotsOf(session.document).flatMap((shot) =>
    shot.regions
      .filter((one) => one.parts.some(isShape))
      .map((one) => ({ shot: shot.id, region: one.id, label: `${one.name} of ${shot.name}` })),
  ),
)
const jobs = computed(() => [
  ...FINDS.map(({ label, value }) => ({ label, value })),
  ...recipes.value.map((one) => ({ label: `Recipe: ${one.recipe.name}`, value: `recipe ${one.id}` })),
  ...drawn.value.map((one) => ({ label: `Find ${one.label}`, value: `alike ${one.region}` })),
  ...treated.value.map((one) => ({ label: `Looks as ${one.label}`, value: `looks ${one.region}` })),
])
const finds = computed(() => FINDS.find((one) => one.value === what.value)?.finds ?? null)

const every = computed(() => film.shots ?? [])
const counts = computed(() => {
  const found: Partial<Record<Standing, number>> = {}
  for (const one of every.value) found[one.standing] = (found[one.standing] ?? 0) + 1
  return found
})
const shown = computed(() => every.value.filter((one) => !only.value || one.standing === only.value))
const has = (one: ShotLine) => finds.value !== null && finds.value in one.found
const chosen = computed(() => shown.value.filter((one) => !left.value.has(one.shot) && !has(one)))
const seconds = computed(() => {
  const of = finds.value
  return of ? chosen.value.reduce((sum, one) => sum + (one.seconds[of] ?? 0), 0) : 0
})
const several = computed(() => {
  if (what.value.startsWith('alike')) return 'Look in every shot'
  return `Do it in ${chosen.value.length} ${chosen.value.length === 1 ? 'shot' : 'shots'}`
})

let stopShowing = () => {}
onMounted(async () => {
  await session.open(String(route.params.id))
  stopShowing = film.showing()
  void looks.loadRecipes()
})
onUnmounted(() => stopShowing())
watch(what, () => left.value.clear())

function tick(shot: string, on: boolean) {
  const next = new Set(left.value)
  if (on) next.delete(shot)
  else next.add(shot)
  left.value = next
}

function tickAll(on: boolean) {
  left.value = new Set(on ? [] : every.value.map((one) => one.shot))
}

function begin() {
  const shots = chosen.value.map((one) => one.shot)
  const first = shots[0]
  if (!first) return
  const [kind] = what.value.split(' ')
  const rest = what.value.slice(kind.length + 1)
  if (kind === 'alike') {
    const of = drawn.value.find((one) => one.region === rest)
    if (of) void film.look(of.shot, of.region)
  } else if (kind === 'find') {
    const job = FINDS.find((one) => one.value === what.value)!
    void film.inShots(shots, { do: 'new found', shot: first, what: job.finds, how: 'add', hide: job.hide })
  } else if (kind === 'recipe') {
    const recipe = looks.recipes.find((one) => one.id === rest)?.recipe
    if (recipe) void film.inShots(shots, { do: 'apply recipe', shot: first, frame: 0, recipe, width: widthOf(first) })
  } else {
    const of = treated.value.find((one) => one.region === rest)
    if (of) void film.inShots(shots, { do: 'same looks', shot: first, of_shot: of.shot, region: of.region })
  }
}

const widthOf = (shot: string) =>
  shelf.medium(every.value.find((one) => one.shot === shot)?.medium ?? '')?.width ?? 1920
const small = (one: ShotLine) =>
  `/api/projects/${session.id}/small/${one.start + Math.floor((one.last - one.first) / 2)}.jpg?of=${film.version}.${session.state?.revision}`
const foundIn = (one: ShotLine) =>
  Object.entries(one.found)
    .map(([name, done]) => (done ? name : `${name} …`))
    .join(', ')

function workOn(one: ShotLine) {
  view.showRegion(one.start, shotsOf(session.document).find((shot) => shot.id === one.shot)?.regions[0]?.id ?? null)
  void router.push(`/project/${session.id}`)
}
</script>

<template>
  <Missing v-if="session.missing" :sentence="session.missing" />
  <main v-else class="page film">
    <section aria-labelledby="shots">
      <header class="line">
        <h2 id="shots">Shots</h2>
        <div class="line" role="group" aria-label="Which shots are shown">
          <button class="plainbutton" type="button" :aria-pressed="only === null" @click="only = null">
            all <span class="soft number">{{ every.length }}</span>
          </button>
          <template v-for="(words, one) in STANDINGS" :key="one">
            <button
              v-if="counts[one]"
              class="plainbutton"
              type="button"
              :aria-pressed="only === one"
              @click="only = only === one ? null : one"
            >
              <StandingMark :standing="one" />{{ words }} <span class="soft number">{{ counts[one] }}</span>
            </button>
          </template>
        </div>
      </header>
      <div v-if="film.searching" class="line doing">
        <span class="fade">{{ film.searching.label }}</span>
        <NProgress
          type="line"
          class="bar"
          :show-indicator="false"
          :height="4"
          :percentage="film.searching.total ? (100 * film.searching.done) / film.searching.total : 0"
          :aria-label="film.searching.label"
        />
        <span class="soft number">{{ placeIn(film.searching) }}, {{ waiting(film.searching) }}</span>
        <button class="plainbutton" type="button" @click="work.stop(film.searching.id)">Stop</button>
      </div>
      <div v-else class="line doing">
        <NSelect
          v-model:value="what"
          class="what"
          size="small"
          :options="jobs"
          aria-label="What is done in every shot"
        />
        <NButton size="small" type="primary" :disabled="!chosen.length" @click="begin">{{ several }}</NButton>
        <span class="soft number">{{
          chosen.length
            ? seconds
              ? `about ${lengthOf(Math.max(1, Math.round(seconds)))}`
              : ''
            : 'every shot here has it, or is ticked off'
        }}</span>
        <span class="spring"></span>
        <button class="plainbutton" type="button" @click="tickAll(true)">Tick all</button>
        <button class="plainbutton" type="button" @click="tickAll(false)">Tick none</button>
      </div>
      <Alike v-if="film.alike || film.looking" />
      <p v-if="film.shots && !every.length" class="soft">
        There is no shot yet. Put clips on the layers of the Bench, or begin a project with clips on the Shelf.
      </p>
      <ul class="shots" aria-label="Shots of the film">
        <li v-for="one in shown" :key="one.shot" :class="{ off: !film.searching && left.has(one.shot) }">
          <button class="tile" type="button" :title="`Work on ${one.name}`" @click="workOn(one)">
            <img :src="small(one)" :alt="`A picture of ${one.name}`" loading="lazy" width="160" height="90" />
            <span class="line"
              ><StandingMark :standing="one.standing" /><strong class="fade" :title="one.name">{{
                one.name
              }}</strong></span
            >
            <span class="soft fade number">{{
              [one.doubts ? `${one.doubts} ${one.doubts === 1 ? 'doubt' : 'doubts'}` : '', foundIn(one)]
                .filter(Boolean)
                .join(' · ') || STANDINGS[one.standing]
            }}</span>
          </button>
          <NCheckbox
            class="tick"
            size="small"
            :checked="!has(one) && !left.has(one.shot)"
            :disabled="has(one)"
            :aria-label="`Take ${one.name}`"
            :title="has(one) ? 'It is there already' : ''"
            @update:checked="(on: boolean) => tick(one.shot, on)"
          />
        </li>
      </ul>
    </section>
    <People class="people" />
  </main>
</template>

<style scoped>
.film {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 440px;
  overflow: hidden;
}
.film > section {
  min-height: 0;
  overflow: auto;
  padding: 16px 20px;
}
.people {
  border-left: 1px solid var(--line);
  background: var(--panel);
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
  min-width: 0;
}
header.line {
  flex-wrap: wrap;
  gap: 16px;
}
.doing {
  margin: 10px 0 14px;
  min-height: 28px;
}
.what {
  width: 260px;
}
.bar {
  flex: 1;
  min-width: 60px;
}
.spring {
  flex: 1;
}
.shots {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(160px, 1fr));
  gap: 14px;
}
.shots li {
  position: relative;
}
.tile {
  all: unset;
  display: grid;
  gap: 2px;
  width: 100%;
  cursor: pointer;
}
.tile img {
  display: block;
  width: 100%;
  height: auto;
  aspect-ratio: 16 / 9;
  object-fit: cover;
  border-radius: 4px;
  background: var(--field);
}
.tile:hover img {
  box-shadow: 0 0 0 2px var(--control);
}
.tile:focus-visible {
  outline: 2px solid var(--accent);
  outline-offset: 2px;
}
.off img {
  opacity: 0.55;
}
.tick {
  position: absolute;
  left: 2px;
  top: 0;
  min-width: 28px;
  padding-left: 4px;
}
</style>
