<script setup lang="ts">
// The check before export: what is open, what could still tell who somebody is, what is in doubt, and how all is covered.
import { NButton, NCheckbox, NInput, NProgress, NSelect } from 'naive-ui'
import { computed, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, content } from '../api/client'
import type { Gap, Place, Work } from '../api/types'
import Missing from '../parts/Missing.vue'
import { spanOf, when } from '../parts/words'
import { useProof } from '../state/proof'
import { attempt } from '../state/say'
import { shotsOf } from '../state/shots'
import { standing, useWork } from '../state/work'
import { useStores } from '../state/stores'
import Coverage from './Coverage.vue'

const route = useRoute()
const router = useRouter()
const { session, view } = useStores()
const proof = useProof()
const work = useWork()
const project = computed(() => String(route.params.id))
const file = ref<string | null>((route.query.file as string | undefined) ?? null)
const exports = ref<Work[]>([])
const seenToo = ref(false)
const of = ref<string>('') // a region, or all
const order = ref<'risk' | 'frame'>('risk')
const ORDERS = [
  { label: 'The riskiest first', value: 'risk' },
  { label: 'As they come', value: 'frame' },
]
const files = computed(() => [
  { label: 'The project alone', value: '' },
  ...exports.value.map((one) => ({ label: `and ${String(one.detail.name)}`, value: one.id })),
])
const regions = computed(() => [
  { label: 'Every region', value: '' },
  ...[...new Map((proof.points ?? []).map((one) => [one.region, one.name]))].map(([value, label]) => ({
    value,
    label,
  })),
])
const shown = computed(() =>
  (proof.points ?? [])
    .filter((one) => (seenToo.value || !one.accepted) && (!of.value || one.region === of.value))
    .sort((a, b) => (order.value === 'risk' ? b.risk - a.risk : 0) || a.sequence_frame - b.sequence_frame),
)
const accepted = computed(() => proof.points?.filter((one) => one.accepted).length ?? 0)
const verdict = computed(() => {
  if (!proof.found) return 'Not checked yet.'
  const { length } = proof.found.gaps
  if (length) return length === 1 ? 'One place is open.' : `${length} places are open.`
  if (proof.found.remarks.length) return 'All is covered. Look at what could still identify somebody.'
  return proof.found.shots ? 'All is covered.' : 'Nothing here is meant to hide anything.'
})

onMounted(async () => {
  await session.open(project.value)
  await proof.load()
  await attempt(async () => {
    const path = { params: { path: { project: project.value } } }
    const all = await content(api.GET('/api/projects/{project}/exports', path))
    exports.value = all.filter((one) => one.checkable)
  })
})

function show(frame: number, region: string | null = null) {
  view.showRegion(frame, region)
  void router.push(`/project/${project.value}`)
}

const shotName = (id: string) => shotsOf(session.document).find((one) => one.id === id)?.name ?? ''
const base = computed(() => `/api/projects/${project.value}`)
/** A small picture of a frame, around a place where one is known. */
function small(frame: number, place?: Place | null) {
  const around = place ? `x=${place.x}&y=${place.y}&side=${Math.round(4 * Math.max(place.rx, place.ry))}&` : ''
  return `${base.value}/small/${frame}.jpg?${around}revision=${session.state?.revision}`
}

/** Where a gap is on its worst frame, or near it. */
const worst = (gap: Gap) =>
  gap.places.reduce((best, one) => (Math.abs(one.frame - gap.frame) < Math.abs(best.frame - gap.frame) ? one : best))
const named = (gap: Gap) =>
  gap.name ? `${gap.what === 'face' ? 'Face' : 'Line'} ${gap.name}` : `A ${gap.what} nobody found before`
const widthOf = (gap: Gap) => Math.round(2 * gap.places[0]!.rx)
</script>

<template>
  <Missing v-if="session.missing" :sentence="session.missing" />
  <main v-else class="page sheetpage">
    <section class="sheet" aria-labelledby="verdict">
      <h2 id="verdict">{{ verdict }}</h2>
      <p v-if="proof.found" class="soft number">
        {{ proof.found.found_again }} {{ proof.found.found_again === 1 ? 'face' : 'faces' }} found again,
        {{ proof.found.faces }} frames of them<template v-if="proof.found.lines"
          >, and {{ proof.found.lines }} times a line</template
        >; {{ proof.found.left_open }} left open by choice. Checked {{ when(proof.last!.made)
        }}<template v-if="proof.last!.file">, with {{ proof.last!.file }}</template
        >.
        <strong v-if="proof.last!.stale" class="bad">The project was changed since.</strong>
      </p>
      <p v-else class="soft">
        Every shot that hides something is searched again, more often, with less belief, and by two networks. Each face
        and each line must be covered on every frame. Then the covers are attacked.
      </p>
      <div v-if="proof.running" class="line">
        <NProgress
          type="line"
          :show-indicator="false"
          :height="4"
          :percentage="proof.running.total ? (100 * proof.running.done) / proof.running.total : 0"
          aria-label="Checking"
        />
        <span class="soft number">{{ standing(proof.running) }}</span>
        <button class="plainbutton" type="button" @click="work.stop(proof.running.id)">Stop</button>
      </div>
      <template v-else>
        <NSelect
          v-if="exports.length"
          size="small"
          :value="file ?? ''"
          :options="files"
          aria-label="What is checked"
          @update:value="(to: string) => (file = to || null)"
        />
        <div>
          <NButton :type="!proof.last || proof.last.stale || file ? 'primary' : 'default'" @click="proof.check(file)"
            >Check now</NButton
          >
        </div>
      </template>
      <template v-if="proof.last">
        <label class="field">
          <span class="soft">Who looks at it</span>
          <NInput v-model:value="proof.who" size="small" :maxlength="120" placeholder="for the report" />
        </label>
        <p class="files">
          <a :href="`${base}/proof/report.html`" download>Report as a page</a>
          <a :href="`${base}/proof/report.json`" download>as data (JSON)</a>
        </p>
      </template>
    </section>

    <div class="lists">
      <section aria-labelledby="open-places">
        <h2 id="open-places">Open</h2>
        <p v-if="!proof.found?.gaps.length" class="soft">
          {{ proof.found ? 'Nothing.' : 'Known after the check.' }}
        </p>
        <ul v-else class="points" aria-label="Open places">
          <li v-for="(gap, index) in proof.found.gaps" :key="index" class="line">
            <button class="plainbutton point" type="button" @click="show(gap.sequence_frame, gap.region || null)">
              <img
                class="close"
                :src="small(gap.sequence_frame, worst(gap))"
                :alt="`${named(gap)}, frame ${gap.frame}`"
                loading="lazy"
              />
              <span class="two">
                <strong class="fade">{{ named(gap) }}</strong>
                <span class="soft fade" :title="`${gap.region_name} in ${gap.shot_name}`"
                  >{{ gap.region_name }} · {{ gap.shot_name }}</span
                >
              </span>
              <span class="number">{{ spanOf(gap) }}</span>
              <span class="soft number">{{ widthOf(gap) }} px wide, {{ Math.round(gap.covered * 100) }} % covered</span>
            </button>
            <NButton size="tiny" title="Covers it where the check found it, on these frames" @click="proof.close(gap)"
              >Cover it</NButton
            >
          </li>
        </ul>
      </section>
      <section aria-labelledby="could-tell">
        <h2 id="could-tell">Could still identify</h2>
        <p v-if="!proof.found?.remarks.length" class="soft">
          {{ proof.found ? 'Nothing that was checked.' : 'Known after the check.' }}
        </p>
        <ul v-else class="points" aria-label="Could still identify">
          <li v-for="(one, index) in proof.found.remarks" :key="index" class="line">
            <button class="plainbutton reason" type="button" @click="show(one.sequence_frame, one.region)">
              {{ one.reason }}
            </button>
            <NButton v-if="one.mend" size="tiny" @click="proof.mend(one)">{{
              one.mend.voice ? 'Lower the voice' : 'Mend it'
            }}</NButton>
          </li>
        </ul>
      </section>
      <section aria-labelledby="doubts">
        <h2 id="doubts">Doubts</h2>
        <div v-if="proof.points?.length" class="line">
          <NSelect v-model:value="of" size="tiny" class="narrow" :options="regions" aria-label="Doubts of" />
          <NSelect v-model:value="order" size="tiny" class="narrow" :options="ORDERS" aria-label="Order of doubts" />
          <NCheckbox v-if="accepted" v-model:checked="seenToo" size="small"
            >Reviewed ones as well ({{ accepted }})</NCheckbox
          >
        </div>
        <p v-if="proof.points && !shown.length" class="soft">Nothing is in doubt.</p>
        <ul class="points" aria-label="Doubts">
          <li v-for="point in shown" :key="`${point.region} ${point.first} ${point.reason}`" class="line">
            <button class="plainbutton point" type="button" @click="show(point.sequence_frame, point.region)">
              <img
                :class="{ close: point.place }"
                :src="small(point.sequence_frame, point.place)"
                :alt="`Frame ${point.sequence_frame}`"
                loading="lazy"
              />
              <span class="two">
                <strong class="fade">{{ point.name }}</strong>
                <span class="soft fade" :title="shotName(point.shot)">{{ shotName(point.shot) }}</span>
              </span>
              <span class="number">{{ spanOf(point) }}</span>
              <span class="soft words">{{ point.reason }}</span>
            </button>
            <span v-if="point.accepted" class="soft">reviewed</span>
            <NButton v-else size="tiny" @click="proof.accept(point)">Reviewed</NButton>
          </li>
        </ul>
      </section>
      <Coverage @show="show" />
    </div>
  </main>
</template>

<style scoped>
.lists {
  display: grid;
  gap: 28px;
}
.point {
  display: grid;
  grid-template-columns: 80px 150px 120px minmax(0, 1fr);
  gap: 12px;
  flex: 1;
  height: auto;
  min-height: 52px;
  min-width: 0;
  padding: 3px 6px;
  justify-content: start;
  align-items: center;
  text-align: left;
}
.two {
  display: grid;
  min-width: 0;
}
.point img {
  width: 80px;
  height: 45px;
  border-radius: 3px;
  background: var(--field);
  display: block;
}
.point img.close {
  width: 45px;
  justify-self: end;
}
.words,
.reason {
  white-space: normal;
}
.reason {
  flex: 1;
  height: auto;
  padding: 4px 6px;
  justify-content: flex-start;
  text-align: left;
}
.narrow {
  width: 170px;
}
.files {
  display: flex;
  gap: 14px;
}
.files a {
  color: var(--text);
}
</style>
