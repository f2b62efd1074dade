<script setup lang="ts">
import { NButton, NInput, NProgress, NSelect } from 'naive-ui'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { OpenPoint, Work } from '../api/types'
import { lengthOf, sizeOf, when } from '../parts/words'
import Missing from '../parts/Missing.vue'
import { useBench } from '../state/bench'
import { useProof } from '../state/proof'
import { attempt } from '../state/say'
import { timeLeft, useWork } from '../state/work'

const CONTAINERS = [
  { label: 'MP4, H.264', value: 'mp4' as const },
  { label: 'MOV, H.264', value: 'mov' as const },
  { label: 'WebM, VP9', value: 'webm' as const },
]
const FORMS = [
  { label: 'PNG pictures in a zip file, exact', value: 'pictures' as const },
  { label: 'Grey film, MP4', value: 'film' as const },
]
const PIECE = 'piece'
const QUALITIES = [
  { label: 'For further work, large', value: 12 },
  { label: 'For delivery', value: 18 },
  { label: 'For sending, small', value: 24 },
]

const route = useRoute()
const router = useRouter()
const bench = useBench()
const work = useWork()
const proof = useProof()
const project = computed(() => String(route.params.id))
const name = ref<string | null>(null)
const container = ref<'mp4' | 'mov' | 'webm'>('mp4')
const quality = ref(18)
const form = ref<'pictures' | 'film'>('pictures')
const what = ref(PIECE) // or shot and region, joined
const exports = ref<Work[]>([])
const asking = ref(false)
const whats = computed(() => [
  { label: 'The whole piece', value: PIECE },
  ...(bench.document?.layers ?? []).flatMap((layer) =>
    (layer.items ?? []).flatMap((shot) =>
      (shot.regions ?? []).map((region) => ({
        label: `Matte of ${region.name}`,
        value: `${shot.id} ${region.id}`,
      })),
    ),
  ),
])
const whose = computed(() =>
  what.value === PIECE ? '' : `, ${whats.value.find((one) => one.value === what.value)?.label}`,
)
const points = computed(() => proof.points?.filter((one) => !one.accepted) ?? [])
const wanted = computed(() => name.value ?? `${bench.document?.name ?? ''}${whose.value}`)
const seconds = computed(() => bench.frames / bench.rate)

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
  await bench.open(project.value)
  await proof.load()
  await attempt(async () => {
    const path = { params: { path: { project: project.value } } }
    exports.value = await content(api.GET('/api/projects/{project}/exports', path))
  })
}

/** Export, or ask first where faces or words could be open. */
function ask() {
  if (what.value === PIECE && proof.against) asking.value = true
  else void begin()
}

function begin() {
  asking.value = false
  const [shot, region] = what.value === PIECE ? [] : what.value.split(' ')
  return attempt(() =>
    content(
      api.POST('/api/projects/{project}/exports', {
        params: { path: { project: project.value } },
        body: {
          name: wanted.value.trim() || 'export',
          encoding: {
            container: container.value,
            quality: quality.value,
            preset: 'veryfast',
            threads: 0,
            key_every: 0,
          },
          matte: shot && region ? { shot, region, form: form.value } : null,
        },
      }),
    ),
  )
}

async function remove(id: string) {
  if (await attempt(() => content(api.DELETE('/api/exports/{work}', { params: { path: { work: id } } }))))
    exports.value = exports.value.filter((one) => one.id !== id)
}

function show(point: OpenPoint) {
  bench.regionId = point.region
  bench.go(point.piece_frame)
  void router.push(`/project/${project.value}`)
}

const nameOf = (one: Work) => String(one.detail.name)
const bytesOf = (one: Work) => Number(one.detail.bytes ?? 0)
</script>

<template>
  <Missing v-if="bench.missing" :sentence="bench.missing" />
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
        <span class="soft">Kind of file</span>
        <NSelect
          v-if="what === PIECE"
          v-model:value="container"
          size="small"
          :options="CONTAINERS"
          aria-label="Kind of file"
        />
        <NSelect v-else v-model:value="form" size="small" :options="FORMS" aria-label="Kind of file" />
      </div>
      <div v-if="what === PIECE" class="field">
        <span class="soft">Quality</span>
        <NSelect v-model:value="quality" size="small" :options="QUALITIES" aria-label="Quality" />
      </div>
      <p v-if="what !== PIECE" class="soft">
        White inside, black outside, one for each frame of the shot, at the clip's own size.
      </p>
      <p v-else-if="bench.document" class="soft number">
        {{ bench.document.width }} × {{ bench.document.height }}, {{ bench.frames }} frames, {{ lengthOf(seconds) }}.
        The file carries no place, device, author or history.
      </p>
      <div v-if="asking" class="ask" role="alertdialog" aria-label="Something may be open">
        <p>{{ proof.against }} Export it all the same?</p>
        <div class="line">
          <NButton size="small" type="primary" @click="router.push(`/project/${project}/proof`)">Look at it</NButton>
          <NButton size="small" @click="begin">Export all the same</NButton>
          <button class="plainbutton" type="button" @click="asking = false">Cancel</button>
        </div>
      </div>
      <div v-else>
        <NButton type="primary" :disabled="!bench.frames" @click="ask">{{
          what === PIECE ? 'Export the whole piece' : 'Export the mattes'
        }}</NButton>
      </div>
      <a class="save" :href="`/api/projects/${project}/file`" download>Save the project as a file (.cravo.json)</a>
    </section>

    <section aria-labelledby="check">
      <h2 id="check">Before you export</h2>
      <p v-if="proof.hiding" class="line">
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
            <span v-else-if="one.state === 'waiting'" class="soft">waiting</span>
            <span v-else-if="one.state === 'stopped'" class="soft">stopped; nothing was written</span>
            <span v-else class="bad">{{ one.problem }}</span>
            <RouterLink
              v-if="one.state === 'done' && proof.hiding && !one.detail.matte"
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
.ask {
  display: grid;
  gap: 8px;
  padding: 10px;
  border: 1px solid var(--bad);
  border-radius: 4px;
}
</style>
