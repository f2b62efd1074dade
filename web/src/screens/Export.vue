<script setup lang="ts">
import { NButton, NCheckbox, NInput, NProgress, NSelect } from 'naive-ui'
import { useStorage } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { OpenPoint, Work } from '../api/types'
import { lengthOf, sizeOf, when } from '../parts/words'
import Missing from '../parts/Missing.vue'
import NumberField from '../parts/NumberField.vue'
import { framesPerSecond } from '../state/numbers'
import { useShelf } from '../state/shelf'
import { shotsOf } from '../state/shots'
import { useProof } from '../state/proof'
import { attempt } from '../state/say'
import { standing, timeLeft, useWork } from '../state/work'
import { useStores } from '../state/stores'

const DEPTHS = [
  { label: 'Depth as it is', value: 0 as const },
  { label: '8 bit', value: 8 as const },
  { label: '10 bit', value: 10 as const },
]
const RATES = ['24000/1001', '24/1', '25/1', '30000/1001', '30/1', '50/1', '60000/1001', '60/1']
const ALPHAS = [
  { label: 'Straight: colours as they are', value: 'straight' as const },
  { label: 'Premultiplied: colours over black', value: 'premultiplied' as const },
]
const FORMS = [
  { label: 'PNG pictures in a zip file, exact', value: 'pictures' as const },
  { label: 'Grey film, MP4', value: 'film' as const },
]
const FILM = 'film'
const QUALITIES = [
  { label: 'High, large file', value: 12 },
  { label: 'Standard', value: 18 },
  { label: 'Low, small file', value: 24 },
]

const route = useRoute()
const router = useRouter()
const { session, view } = useStores()
const work = useWork()
const proof = useProof()
const shelf = useShelf()
const project = computed(() => String(route.params.id))
const name = ref<string | null>(null)
const kind = ref('mp4')
const alpha = ref<'straight' | 'premultiplied'>('straight')
const first = ref(0)
const last = ref<number | null>(null) // the last of the film
const OWN = 0 // the film's own height
const height = ref(OWN)
const rate = ref('') // the film's own
const depth = ref<0 | 8 | 10>(0)
const quality = ref(18)
const copies = ref(true)
const form = ref<'pictures' | 'film'>('pictures')
const what = ref(FILM) // or shot and region, joined
const exports = ref<Work[]>([])
const asking = ref(false)
const beginning = ref(false) // a press is on its way
const known = ref(false) // what stands against an export, as the project is now
const whats = computed(() => [
  { label: 'The whole film', value: FILM },
  ...shotsOf(session.document).flatMap((shot) =>
    shot.regions.map((region) => ({ label: `Matte of ${region.name}`, value: `${shot.id} ${region.id}` })),
  ),
])
const whose = computed(() =>
  what.value === FILM ? '' : `, ${whats.value.find((one) => one.value === what.value)?.label}`,
)
const points = computed(() => proof.points?.filter((one) => !one.accepted) ?? [])
const wanted = computed(() => name.value ?? `${session.document?.name ?? ''}${whose.value}`)
const from = computed(() => Math.min(first.value, Math.max(session.frames - 1, 0)))
const to = computed(() => Math.min(last.value ?? Infinity, session.frames - 1))
const kinds = computed(() => (shelf.facts?.formats ?? []).map((one) => ({ label: one.label, value: one.kind })))
const format = computed(() => shelf.facts?.formats.find((one) => one.kind === kind.value))
const count = computed(() => (format.value?.single ? 1 : Math.max(to.value - from.value + 1, 0)))
const own = computed(() => session.document?.height ?? 1080)
const wide = computed(
  () => 2 * Math.round(((session.document?.width ?? 0) * (height.value || own.value)) / own.value / 2),
)
const heights = computed(() => [
  { label: `${own.value} lines`, value: OWN },
  ...[2160, 1080, 720, 540, 360]
    .filter((one) => one !== own.value)
    .map((one) => ({ label: `${one} lines`, value: one })),
])

const rates = computed(() => [
  { label: `${Number(session.rate.toFixed(3))} fps`, value: '' },
  ...RATES.filter((one) => one !== session.document?.rate).map((one) => ({
    label: `${Number(framesPerSecond(one).toFixed(3))} fps`,
    value: one,
  })),
])

interface Preset {
  name: string
  kind: string
  alpha: 'straight' | 'premultiplied'
  height: number
  rate: string
  depth: 0 | 8 | 10
  quality: number
}
const bare = { alpha: 'straight' as const, height: OWN, rate: '', depth: 0 as const, quality: 18 }
const BUILT_IN: Preset[] = [
  { ...bare, name: 'For delivery', kind: 'mp4' },
  { ...bare, name: 'For the web, small', kind: 'mp4', height: 720, quality: 24 },
  { ...bare, name: 'For further work', kind: 'prores 422' },
  { ...bare, name: 'Cut out, for other programs', kind: 'prores 4444' },
  { ...bare, name: 'Cut out, for web pages', kind: 'webm alpha' },
]
const kept = useStorage<Preset[]>('cravo.presets', [])
const presets = computed(() => [...BUILT_IN, ...kept.value].map((one, i) => ({ label: one.name, value: i })))
// The one that the present settings are, if any.
const preset = computed(() => {
  const same = (one: Preset) =>
    one.kind === kind.value &&
    one.alpha === alpha.value &&
    one.height === height.value &&
    one.rate === rate.value &&
    one.depth === depth.value &&
    one.quality === quality.value
  const found = [...BUILT_IN, ...kept.value].findIndex(same)
  return found < 0 ? null : found
})

function choose(index: number) {
  const one = [...BUILT_IN, ...kept.value][index]
  kind.value = one.kind
  alpha.value = one.alpha
  height.value = one.height
  rate.value = one.rate
  depth.value = one.depth
  quality.value = one.quality
}

/** The present settings under a name of their own. */
function keep() {
  const said = format.value?.label ?? kind.value
  const name = `${said}, ${height.value || own.value} lines${rate.value ? `, ${framesPerSecond(rate.value)}` : ''}`
  const fresh = { name, kind: kind.value, alpha: alpha.value, height: height.value }
  kept.value = [
    ...kept.value.filter((one) => one.name !== name),
    { ...fresh, rate: rate.value, depth: depth.value, quality: quality.value },
  ]
}

const hush = listen((news) => {
  if (news.kind === 'back') void load()
  if (news.kind === 'work' && news.work?.project === project.value && news.work.kind === 'render') {
    const fresh = news.work
    const place = exports.value.findIndex((one) => one.id === fresh.id)
    if (place < 0) exports.value.unshift(fresh)
    else exports.value[place] = fresh
  }
})
onBeforeUnmount(hush)
onMounted(load)

async function load() {
  await session.open(project.value)
  await proof.load()
  known.value = proof.points !== null
  await attempt(async () => {
    const path = { params: { path: { project: project.value } } }
    exports.value = await content(api.GET('/api/projects/{project}/exports', path))
  })
}

/** Export, or ask first where faces or words could be open. */
function ask() {
  if (what.value === FILM && proof.against) asking.value = true
  else void begin()
}

async function begin() {
  asking.value = false
  if (beginning.value) return
  beginning.value = true
  const [shot, region] = what.value === FILM ? [] : what.value.split(' ')
  await attempt(() =>
    content(
      api.POST('/api/projects/{project}/exports', {
        params: { path: { project: project.value } },
        body: {
          name: wanted.value.trim() || 'export',
          encoding: {
            kind: kind.value,
            alpha: alpha.value,
            quality: quality.value,
            depth: format.value?.depth ? depth.value : 0,
            preset: 'veryfast',
            threads: 0,
            key_every: 0,
            copies: copies.value,
          },
          first: what.value === FILM ? from.value : 0,
          last: what.value === FILM ? to.value : null,
          height: height.value || null,
          rate: rate.value || null,
          matte: shot && region ? { shot, region, form: form.value } : null,
        },
      }),
    ),
  )
  beginning.value = false
}

async function remove(id: string) {
  if (await attempt(() => content(api.DELETE('/api/exports/{work}', { params: { path: { work: id } } }))))
    exports.value = exports.value.filter((one) => one.id !== id)
}

function show(point: OpenPoint) {
  view.showRegion(point.sequence_frame, point.region)
  void router.push(`/project/${project.value}`)
}

/** That the project is another one by now than the one that was exported. */
function outdated(one: Work): string {
  const revision = one.detail.revision as number | undefined
  if (revision === undefined || revision === session.state?.revision) return ''
  return `As the project was at change ${revision}; it is at ${session.state?.revision} now.`
}
const withoutOf = (one: Work) => (one.state === 'done' ? ((one.detail.without as string[] | undefined) ?? []) : [])
const nameOf = (one: Work) => String(one.detail.name)
const bytesOf = (one: Work) => Number(one.detail.bytes ?? 0)
</script>

<template>
  <Missing v-if="session.missing" :sentence="session.missing" />
  <main v-else class="page sheetpage">
    <section class="sheet" aria-labelledby="what">
      <h2 id="what">Export</h2>
      <label class="field">
        <span class="soft">File name</span>
        <NInput size="small" :value="wanted" maxlength="120" @update:value="name = $event" />
      </label>
      <div v-if="whats.length > 1" class="field">
        <span class="soft">What</span>
        <NSelect v-model:value="what" size="small" :options="whats" aria-label="What" />
      </div>
      <div class="field">
        <span class="soft">Format</span>
        <NSelect v-if="what === FILM" v-model:value="kind" size="small" :options="kinds" aria-label="Format" />
        <NSelect v-else v-model:value="form" size="small" :options="FORMS" aria-label="Format" />
      </div>
      <div v-if="what === FILM" class="pair">
        <NSelect
          size="small"
          :value="preset"
          :options="presets"
          placeholder="Preset"
          aria-label="Preset"
          @update:value="choose"
        />
        <NButton size="small" title="Keep these settings as a preset of your own" @click="keep">Keep</NButton>
      </div>
      <div v-if="what === FILM && format?.alphas" class="field">
        <span class="soft">Transparency</span>
        <NSelect v-model:value="alpha" size="small" :options="ALPHAS" aria-label="Transparency" />
      </div>
      <div v-if="what === FILM" class="span">
        <NumberField
          tight
          :label="format?.single ? 'Frame' : 'From'"
          :value="from"
          :low="0"
          :high="session.frames - 1"
          @set="(to: number) => (first = to)"
        />
        <NumberField
          v-if="!format?.single"
          tight
          label="to"
          :value="to"
          :low="from"
          :high="session.frames - 1"
          @set="(end: number) => (last = end)"
        />
        <NSelect v-model:value="height" size="small" :options="heights" aria-label="Size of the picture" />
      </div>
      <div v-if="what === FILM && !format?.single" class="pair even">
        <NSelect v-model:value="rate" size="small" :options="rates" aria-label="Frames a second" />
        <NSelect v-if="format?.depth" v-model:value="depth" size="small" :options="DEPTHS" aria-label="Depth" />
      </div>
      <div v-if="what === FILM && format?.quality" class="field">
        <span class="soft">Quality</span>
        <NSelect v-model:value="quality" size="small" :options="QUALITIES" aria-label="Quality" />
      </div>
      <NCheckbox
        v-if="what === FILM && format?.quality"
        v-model:checked="copies"
        size="small"
        title="Stretches on which no region, layer or fade does anything go out as the clip has them, where both are H.264"
        >Copy what nothing touches</NCheckbox
      >
      <p v-if="what !== FILM" class="soft">
        White inside, black outside, one for each frame of the shot, at the clip's own size.
      </p>
      <p v-else-if="session.document" class="soft number">
        {{ wide }} × {{ height || session.document.height }}, {{ count }} {{ count === 1 ? 'frame' : 'frames'
        }}<template v-if="count > 1">, {{ lengthOf(count / session.rate) }}</template
        >. The file carries no place, device, author or history.
      </p>
      <div v-if="asking" class="ask" role="alertdialog" aria-label="Something may be open">
        <p>{{ proof.against }} Export it all the same?</p>
        <div class="line">
          <NButton size="small" type="primary" @click="router.push(`/project/${project}/proof`)">Look at it</NButton>
          <NButton size="small" @click="begin">Export anyway</NButton>
          <button class="plainbutton" type="button" @click="asking = false">Cancel</button>
        </div>
      </div>
      <div v-else>
        <NButton type="primary" :disabled="!session.frames || !known || beginning" @click="ask">{{
          what !== FILM ? 'Export the mattes' : count === session.frames ? 'Export the whole film' : 'Export'
        }}</NButton>
      </div>
      <a class="save" :href="`/api/projects/${project}/file`" download>Save the project as a file (.cravo.json)</a>
      <a class="save" :href="`/api/projects/${project}/timeline.otio`" download
        >Save layers, cuts and speeds (OpenTimelineIO)</a
      >
    </section>

    <section aria-labelledby="check">
      <h2 id="check">Before you export</h2>
      <p v-if="proof.hiding" class="line told">
        <span :class="{ bad: proof.against }">{{ proof.against ?? 'It was checked: what is hidden is covered.' }}</span>
        <RouterLink class="save" :to="`/project/${project}/proof`">Proof</RouterLink>
      </p>
      <p v-if="proof.points === null" class="soft">Looking …</p>
      <p v-else-if="!points.length">
        Every region is followed or set by hand on each of its frames, and nothing is in doubt.
      </p>
      <template v-else>
        <p class="soft">These frames are not sure. Look at them; they are exported as they are.</p>
        <ul class="points">
          <li v-for="(point, index) in points" :key="index">
            <button class="plainbutton point" type="button" @click="show(point)">
              <strong class="fade">{{ point.name }}</strong>
              <span class="number">{{
                point.first === point.last ? point.first : `${point.first}–${point.last}`
              }}</span>
              <span class="soft fade" :title="point.reason">{{ point.reason }}</span>
            </button>
          </li>
        </ul>
      </template>

      <h2 class="later">Files</h2>
      <p v-if="!exports.length" class="soft">Nothing exported yet.</p>
      <ul class="files">
        <li v-for="one in exports" :key="one.id" :data-state="one.state">
          <div class="line">
            <strong class="fade" :title="nameOf(one)">{{ nameOf(one) }}</strong>
            <span v-if="one.state === 'done'" class="soft number"
              >{{ sizeOf(bytesOf(one)) }} · {{ when(one.created) }}</span
            >
            <span v-else-if="one.state === 'running'" class="soft number">
              {{ one.done }} of {{ one.total }} frames<template v-if="timeLeft(one)">, {{ timeLeft(one) }}</template>
            </span>
            <span v-else-if="one.state === 'waiting'" class="soft">{{ standing(one) }}</span>
            <span v-else-if="one.state === 'stopped'" class="soft">stopped; nothing was written</span>
            <span v-else class="bad">{{ one.problem }}</span>
            <RouterLink
              v-if="proof.hiding && one.checkable"
              class="plainbutton"
              title="Search this file for what should be hidden"
              :to="{ path: `/project/${project}/proof`, query: { file: one.id } }"
              >Check it</RouterLink
            >
            <a v-if="one.state === 'done'" class="plainbutton" :href="`/api/exports/${one.id}/file`" download
              >Download</a
            >
            <button
              v-if="one.state === 'running' || one.state === 'waiting'"
              class="plainbutton"
              type="button"
              @click="work.stop(one.id)"
            >
              Stop
            </button>
            <button
              v-else
              class="plainbutton"
              type="button"
              :aria-label="`Delete ${nameOf(one)}`"
              @click="remove(one.id)"
            >
              Delete
            </button>
          </div>
          <p v-if="outdated(one)" class="soft">{{ outdated(one) }}</p>
          <p v-for="without in withoutOf(one)" :key="without" class="bad">{{ without }}</p>
          <NProgress
            v-if="one.state === 'running'"
            type="line"
            :height="4"
            :show-indicator="false"
            :percentage="one.total ? (100 * one.done) / one.total : 0"
            :aria-label="`Exporting ${nameOf(one)}`"
          />
        </li>
      </ul>
    </section>
  </main>
</template>

<style scoped>
.later {
  margin-top: 28px;
}
.points {
  margin-top: 8px;
  max-height: 260px;
  overflow: auto;
}
.point {
  width: 100%;
  display: grid;
  grid-template-columns: 160px 80px 1fr;
  justify-content: start;
  text-align: left;
  gap: 12px;
}
.files {
  display: grid;
  gap: 4px;
}
.files .line {
  min-height: 32px;
}
.line strong {
  flex: 1;
}
.save {
  color: var(--text);
}
.span {
  display: grid;
  grid-template-columns: 68px 68px minmax(0, 1fr);
  gap: 8px;
  align-items: end;
}
.pair {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 8px;
}
.pair.even {
  grid-template-columns: repeat(2, minmax(0, 1fr));
}
.told {
  margin-bottom: 8px;
}
.ask .line {
  flex-wrap: wrap;
}
.ask {
  display: grid;
  gap: 8px;
  padding: 10px;
  border: 1px solid var(--bad);
  border-radius: 4px;
}
</style>
