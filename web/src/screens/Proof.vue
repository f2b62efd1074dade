<script setup lang="ts">
// The check before export: what is in doubt, whose face is open, and what could still tell who somebody is.
import { NButton, NCheckbox, NProgress } from 'naive-ui'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { OpenPoint, Proof } from '../api/types'
import Missing from '../parts/Missing.vue'
import { when } from '../parts/words'
import { useBench } from '../state/bench'
import { attempt } from '../state/say'
import { timeLeft, useWork } from '../state/work'

const route = useRoute()
const router = useRouter()
const bench = useBench()
const work = useWork()
const project = computed(() => String(route.params.id))
const points = ref<OpenPoint[] | null>(null)
const proof = ref<Proof | null>(null)
const seenToo = ref(false)
const running = computed(() => work.running.find((one) => one.kind === 'proof' && one.project === project.value))
const open = computed(() => points.value?.filter((one) => seenToo.value || !one.accepted) ?? [])
const accepted = computed(() => points.value?.filter((one) => one.accepted).length ?? 0)
const verdict = computed(() => {
  const one = proof.value
  if (!one) return 'Not checked yet.'
  const { length } = one.gaps
  if (length) return length === 1 ? 'A face is open.' : `Faces are open in ${length} places.`
  return one.remarks.length ? 'Every face is covered. Look at the remarks.' : 'Every face is covered.'
})

const hush = listen((news) => {
  const own = news.kind === 'work' && news.work?.project === project.value
  if (news.kind === 'back' || (own && news.work?.state === 'done')) void load()
  if (news.kind === 'project' && news.id === project.value) void load()
})
onBeforeUnmount(hush)
onMounted(load)

async function load() {
  await bench.open(project.value)
  await attempt(async () => {
    const path = { params: { path: { project: project.value } } }
    const [found, last] = await Promise.all([
      content(api.GET('/api/projects/{project}/check', path)),
      api.GET('/api/projects/{project}/proof', path),
    ])
    points.value = found
    proof.value = last.data ?? null
  })
}

function check() {
  const path = { params: { path: { project: project.value } } }
  return attempt(async () => void (await content(api.POST('/api/projects/{project}/proof', path))))
}

function show(frame: number, region: string | null = null) {
  bench.regionId = region
  bench.go(frame)
  void router.push(`/project/${project.value}`)
}

async function accept(point: OpenPoint) {
  const { region, first, last, reason } = point
  await bench.edit('Seen, it is right', (document) => {
    document.accepted = [
      ...(document.accepted ?? []),
      { region, first, last, reason, when: new Date().toISOString().slice(0, 19) },
    ]
  })
  await load()
}

const span = (one: { first: number; last: number }) =>
  one.first === one.last ? `frame ${one.first}` : `frames ${one.first}–${one.last}`
</script>

<template>
  <Missing v-if="bench.missing" :sentence="bench.missing" />
  <main v-else class="page proof">
    <section class="sheet" aria-labelledby="verdict">
      <h2 id="verdict">{{ verdict }}</h2>
      <p v-if="proof" class="soft number">
        {{ proof.people }} {{ proof.people === 1 ? 'face' : 'faces' }} found again on {{ proof.frames }} frames, counted
        one by one; {{ proof.left_open }} left open by choice. Checked {{ when(proof.made) }}.
        <strong v-if="proof.stale" class="bad">The project was changed since.</strong>
      </p>
      <p v-else class="soft">
        Every shot that hides something is searched again, more often, with less belief, and by two networks. Each face
        must be covered on every frame.
      </p>
      <div v-if="running" class="line">
        <NProgress
          type="line"
          :show-indicator="false"
          :height="4"
          :percentage="running.total ? (100 * running.done) / running.total : 0"
          aria-label="Checking"
        />
        <span class="soft number">{{ timeLeft(running) || 'starting' }}</span>
        <button class="plainbutton" type="button" @click="work.stop(running.id)">Stop</button>
      </div>
      <div v-else>
        <NButton :type="!proof || proof.stale ? 'primary' : 'default'" @click="check">Check now</NButton>
      </div>
    </section>

    <section aria-labelledby="open-faces">
      <h2 id="open-faces">Open faces</h2>
      <p v-if="!proof?.gaps.length" class="soft">{{ proof ? 'None.' : 'Known after the check.' }}</p>
      <ul v-else class="points" aria-label="Open faces">
        <li v-for="(gap, index) in proof.gaps" :key="index">
          <button class="plainbutton point" type="button" @click="show(gap.piece_frame)">
            <strong>{{ gap.person ? `Face ${gap.person}` : 'A face nobody found before' }}</strong>
            <span class="number">{{ span(gap) }}</span>
            <span class="soft number"
              >{{ Math.round(gap.width) }} px wide, {{ Math.round(gap.covered * 100) }} % covered</span
            >
          </button>
        </li>
      </ul>
      <h2 class="later">What could still tell</h2>
      <p v-if="!proof?.remarks.length" class="soft">
        {{ proof ? 'Nothing that was checked.' : 'Known after the check.' }}
      </p>
      <ul v-else class="points" aria-label="What could still tell">
        <li v-for="(one, index) in proof.remarks" :key="index">
          <button class="plainbutton point" type="button" @click="show(one.piece_frame, one.region)">
            <span class="reason">{{ one.reason }}</span>
          </button>
        </li>
      </ul>
      <h2 class="later">Doubts</h2>
      <NCheckbox v-if="accepted" v-model:checked="seenToo" size="small"
        >Show what was seen and found right as well ({{ accepted }})</NCheckbox
      >
      <p v-if="points && !open.length" class="soft">Nothing is in doubt.</p>
      <ul class="points" aria-label="Doubts">
        <li v-for="(point, index) in open" :key="index" class="line">
          <button class="plainbutton point" type="button" @click="show(point.piece_frame, point.region)">
            <strong class="fade">{{ point.name }}</strong>
            <span class="number">{{ span(point) }}</span>
            <span class="soft fade" :title="point.reason">{{ point.reason }}</span>
          </button>
          <span v-if="point.accepted" class="soft">seen</span>
          <button v-else class="plainbutton" type="button" @click="accept(point)">Seen, it is right</button>
        </li>
      </ul>
    </section>
  </main>
</template>

<style scoped>
.proof {
  display: grid;
  grid-template-columns: 320px minmax(0, 860px);
  gap: 32px;
  padding: 24px;
  align-items: start;
}
.sheet {
  display: grid;
  gap: 14px;
  padding: 16px;
  background: var(--panel);
  border: 1px solid var(--line);
  border-radius: 6px;
}
h2 {
  margin-bottom: 8px;
}
.sheet h2 {
  margin: 0;
}
.later {
  margin-top: 28px;
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
}
.point {
  display: grid;
  grid-template-columns: 150px 120px minmax(0, 1fr);
  gap: 12px;
  flex: 1;
  width: 100%;
  min-width: 0;
  justify-content: start;
  text-align: left;
}
.reason {
  grid-column: 1 / -1;
}
@media (max-width: 900px) {
  .proof {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
