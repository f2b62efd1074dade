<script setup lang="ts">
import { until } from '@vueuse/core'
import { NButton, NCheckbox, NProgress } from 'naive-ui'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, content } from '../api/client'
import type { Medium, ProjectLine } from '../api/types'
import { thumb } from '../parts/clipMenu'
import { lengthOf, sizeOf, when } from '../parts/words'
import { attempt, confirmed, say } from '../state/say'
import { useProtected } from '../state/protected'
import { useShelf } from '../state/shelf'
import Running from '../panels/Running.vue'
import FirstJobs from '../parts/FirstJobs.vue'
import ProtectedList from '../parts/ProtectedList.vue'
import ProtectSheet from '../parts/ProtectSheet.vue'
import { STEPS, useWalk, type Walk } from '../state/walk'
import { useWork } from '../state/work'

const shelf = useShelf()
const work = useWork()
const walk = useWalk()
const drawing = computed(() => work.running.filter((one) => one.kind === 'draw'))
const router = useRouter()
const chosen = ref<string[]>([])
const films = useProtected()
const protecting = ref(false) // what is to be hidden of clips is being chosen
const split = ref(false) // a new project is split at the cuts of its clips
const over = ref(false)
const busy = ref(false)
const clipInput = ref<HTMLInputElement>()
const fileInput = ref<HTMLInputElement>()
const empty = computed(() => !shelf.media.length && !shelf.projects.length && !shelf.uploads.length)
const bare = computed(() => shelf.loaded && empty.value && !drawing.value.length)
/** What a first visit is told to begin with. */
const beginnings = computed(() => {
  if (shelf.facts?.demo) return 'Begin with one of these on a clip of the demo, or choose clips of your own below.'
  if (!drawing.value.length) return 'Choose clips below.'
  return 'The clips of the demo are being drawn. Begin with one of these when the first is there, or choose clips of your own.'
})

onMounted(() => Promise.all([shelf.load(), films.load()]))

function drop(event: DragEvent) {
  over.value = false
  const files = event.dataTransfer?.files
  if (!files?.length) return
  const saved = [...files].filter((file) => /\.(json|otio)$/i.test(file.name))
  void shelf.take([...files].filter((file) => !saved.includes(file)))
  if (saved.length) void openFile(saved[0])
}

function pick(event: Event) {
  const input = event.target as HTMLInputElement
  void shelf.take([...(input.files ?? [])])
  input.value = ''
}

async function start(make: () => Promise<{ id: string }>) {
  busy.value = true
  await attempt(async () => {
    const { id } = await make()
    await router.push(`/project/${id}`)
  })
  busy.value = false
}

/** A project of the demo's first clip, and help with a first job on it. */
const beginWalk = (which: Walk) =>
  start(async () => {
    const [clip] = await content(api.POST('/api/media/demo'))
    await until(() => shelf.medium(clip.id)?.state === 'ready').toBeTruthy()
    const made = await content(
      api.POST('/api/projects', { body: { name: STEPS[which].name, media: [clip.id], split: false } }),
    )
    walk.begin(made.id, which)
    return made
  })

/** What is offered to be done at the cuts of the chosen clips; empty where they have none. */
const cuts = computed(() => {
  const every = chosen.value.map(shelf.medium).filter((one) => one?.kind === 'clip')
  const known = every.reduce((sum, one) => sum + (one?.cuts?.length ?? 0), 0)
  if (every.some((one) => !one?.cuts)) return 'Split at cuts'
  return known ? `Split at ${known} ${known === 1 ? 'cut' : 'cuts'}` : ''
})

const openDemo = (layers = false) =>
  start(async () => {
    // The demo's clips are read like any others; the first time that takes a moment.
    const clips = await content(api.POST('/api/media/demo'))
    await until(() => clips.every((clip) => shelf.medium(clip.id)?.state === 'ready')).toBeTruthy()
    return content(layers ? api.POST('/api/projects/demo/layers') : api.POST('/api/projects/demo'))
  })

function newProject() {
  const clips = chosen.value.map(shelf.medium).filter((one): one is Medium => one?.state === 'ready')
  const name = clips.length ? clips[0].name.replace(/\.[^.]+$/, '').slice(0, 200) : 'New project'
  return start(async () => {
    const made = await content(
      api.POST('/api/projects', { body: { name, media: clips.map((clip) => clip.id), split: split.value } }),
    )
    walk.offer(made.id)
    return made
  })
}

async function openFile(file: File) {
  // The text goes as it is: what is wrong with it, the server says.
  const body = (await file.text()) as never
  await start(async () => {
    const asked = { body, bodySerializer: (text: unknown) => String(text) }
    const state = await content(api.POST('/api/projects/file', asked))
    for (const note of state.notes ?? []) say().message.warning(note, { duration: 12000, closable: true })
    return state
  })
}

async function removeProject(line: ProjectLine) {
  const sure = await confirmed(
    `Delete ${line.name}?`,
    'Its edits, its exports and every clip that only it uses are deleted from this machine. This cannot be undone.',
    'Delete',
  )
  if (sure)
    await attempt(() => content(api.DELETE('/api/projects/{project}', { params: { path: { project: line.id } } })))
}

async function removeMedium(clip: Medium) {
  const sure =
    clip.state !== 'ready' ||
    (await confirmed(`Remove ${clip.name}?`, 'The copy on this machine is deleted; your own file stays.', 'Remove'))
  if (!sure) return
  chosen.value = chosen.value.filter((id) => id !== clip.id)
  await attempt(() => content(api.DELETE('/api/media/{medium}', { params: { path: { medium: clip.id } } })))
}

function choose(id: string, on: boolean) {
  chosen.value = on ? [...chosen.value, id] : chosen.value.filter((one) => one !== id)
}

const picture = (medium: string) => {
  const clip = shelf.medium(medium)
  return clip && thumb(clip)
}

function detail(clip: Medium): string {
  if (clip.kind === 'table') return `colour table, ${clip.width} points${clip.codec === '3D table' ? ' a side' : ''}`
  const rate = clip.rate
    ? Number((Number(clip.rate.split('/')[0]) / Number(clip.rate.split('/')[1] || 1)).toFixed(3))
    : 0
  const parts = [`${clip.width} × ${clip.height}`]
  if (clip.kind === 'clip') parts.push(`${rate} fps`, lengthOf(clip.seconds ?? 0))
  if (clip.depth === 10) parts.push('10 bit')
  if (clip.kind === 'clip' && !clip.sound) parts.push('no sound')
  return parts.join(' · ')
}
</script>

<template>
  <main
    class="page shelf"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave.self="over = false"
    @drop.prevent="drop"
  >
    <section v-if="bare" class="welcome">
      <h1>Drop a clip here</h1>
      <p class="soft">
        Cravo separates a face, a person or a thing in a moving picture, and hides or changes it. Everything stays on
        this machine.
      </p>
      <div class="row">
        <NButton v-if="shelf.facts?.demo" type="primary" :loading="busy" @click="openDemo()">Open the demo</NButton>
        <NButton @click="clipInput?.click()">Choose clips …</NButton>
      </div>
      <template v-if="shelf.facts?.demo">
        <p class="soft">Or begin with one of these on a clip of the demo:</p>
        <FirstJobs :busy="busy" @begin="beginWalk" />
      </template>
    </section>

    <template v-else>
      <section aria-labelledby="projects">
        <header>
          <h2 id="projects">Projects</h2>
          <span class="spring"></span>
          <NButton size="small" @click="fileInput?.click()">Open a project file …</NButton>
          <NButton
            v-if="shelf.facts?.demo"
            size="small"
            :type="shelf.projects.length || chosen.length ? 'default' : 'primary'"
            :loading="busy"
            @click="openDemo()"
            >Open the demo</NButton
          >
          <NButton
            v-if="shelf.facts?.showpiece"
            size="small"
            title="Dusk, another sky, a title behind a visitor, another background; it is cut out in the background"
            :loading="busy"
            @click="openDemo(true)"
            >Demo of layers</NButton
          >
        </header>
        <template v-if="shelf.loaded && !shelf.projects.length">
          <p>
            Cravo separates people, faces, skies and things in a moving picture, and hides or changes them.
            {{ beginnings }}
          </p>
          <FirstJobs v-if="shelf.facts?.demo || drawing.length" :busy="busy || !shelf.facts?.demo" @begin="beginWalk" />
        </template>
        <ul class="grid">
          <li v-for="line in shelf.projects" :key="line.id" class="tile">
            <RouterLink :to="`/project/${line.id}`" class="picture" :aria-label="`Open ${line.name}`">
              <span v-if="line.media.length" class="thumb" :style="picture(line.media[0])"></span>
              <span v-else class="thumb soft">no shot yet</span>
            </RouterLink>
            <div class="line">
              <strong class="fade" :title="line.name">{{ line.name }}</strong>
              <button
                class="plainbutton"
                type="button"
                :aria-label="`Delete ${line.name}`"
                @click="removeProject(line)"
              >
                Delete
              </button>
            </div>
            <p class="soft fade">
              {{ line.shots }} {{ line.shots === 1 ? 'shot' : 'shots' }}, {{ line.regions }}
              {{ line.regions === 1 ? 'region' : 'regions' }} · {{ when(line.touched) }}
            </p>
          </li>
        </ul>
      </section>

      <section v-if="films.films.length" aria-labelledby="protected">
        <header>
          <h2 id="protected">Protected clips</h2>
        </header>
        <ProtectedList />
      </section>

      <section aria-labelledby="clips">
        <header>
          <h2 id="clips">Clips</h2>
          <span class="spring"></span>
          <NButton size="small" @click="clipInput?.click()">Add clips …</NButton>
          <NButton size="small" @click="protecting = true">{{
            chosen.length
              ? `Protect ${chosen.length} ${chosen.length === 1 ? 'clip' : 'clips'} …`
              : 'Protect a folder …'
          }}</NButton>
          <NCheckbox v-if="cuts" v-model:checked="split" size="small">{{ cuts }}</NCheckbox>
          <NButton
            size="small"
            :type="chosen.length ? 'primary' : 'default'"
            :disabled="!chosen.length"
            :loading="busy"
            @click="newProject"
          >
            {{ chosen.length > 1 ? `New project from ${chosen.length} clips` : 'New project from this clip' }}
          </NButton>
        </header>
        <ul v-if="shelf.uploads.length" class="uploads">
          <li v-for="(upload, index) in shelf.uploads" :key="index">
            <span class="fade" :title="upload.name">{{ upload.name }}</span>
            <span v-if="upload.problem" class="bad" role="alert">{{ upload.problem }}</span>
            <NProgress
              v-else
              type="line"
              :height="4"
              :show-indicator="false"
              :percentage="100 * upload.share"
              :aria-label="`Uploading ${upload.name}`"
            />
            <button class="plainbutton" type="button" @click="upload.problem ? shelf.forget(upload) : upload.stop()">
              {{ upload.problem ? 'Dismiss' : 'Stop' }}
            </button>
          </li>
        </ul>
        <ul v-if="drawing.length" class="uploads" aria-label="Clips of the demo being drawn">
          <li v-for="one in drawing" :key="one.id">
            <span class="fade">{{ one.label }}</span>
            <Running class="wide" :of="one.subject ?? undefined" :label="one.label" />
          </li>
        </ul>
        <p v-if="shelf.loaded && !shelf.media.length" class="soft">
          Drop video or picture files anywhere on this page.
        </p>
        <ul class="grid">
          <li v-for="clip in shelf.media" :key="clip.id" class="tile" :class="{ chosen: chosen.includes(clip.id) }">
            <div class="picture">
              <span v-if="clip.kind === 'table'" class="thumb soft">.cube</span>
              <span v-else-if="clip.state === 'ready'" class="thumb" :style="picture(clip.id)"></span>
              <span v-else-if="clip.state === 'waiting'" class="thumb soft">
                reading …
                <NProgress
                  v-if="work.on(clip.id)"
                  type="line"
                  :height="4"
                  :show-indicator="false"
                  :percentage="work.on(clip.id)!.total ? (100 * work.on(clip.id)!.done) / work.on(clip.id)!.total : 0"
                  :aria-label="`Reading ${clip.name}`"
                />
              </span>
              <span v-else class="thumb bad">cannot be used</span>
            </div>
            <div class="line">
              <NCheckbox
                v-if="clip.state === 'ready' && clip.kind !== 'table'"
                :checked="chosen.includes(clip.id)"
                :aria-label="`Choose ${clip.name}`"
                @update:checked="choose(clip.id, $event)"
              />
              <strong class="fade" :title="clip.name">{{ clip.name }}</strong>
              <button
                v-if="!clip.used"
                class="plainbutton"
                type="button"
                :aria-label="`Remove ${clip.name}`"
                @click="removeMedium(clip)"
              >
                Remove
              </button>
            </div>
            <p v-if="clip.state === 'refused'" class="bad">{{ clip.problem }}</p>
            <p v-else-if="clip.state === 'ready'" class="soft fade number" :title="detail(clip)">{{ detail(clip) }}</p>
            <p v-else class="soft number">{{ sizeOf(clip.bytes) }}</p>
            <p v-for="warning in clip.warnings" :key="warning" class="warning">{{ warning }}</p>
          </li>
        </ul>
      </section>
    </template>

    <ProtectSheet v-if="protecting" :media="chosen" @close="protecting = false" />
    <p v-if="over" class="dropnote">Release to drop</p>
    <input
      ref="clipInput"
      type="file"
      multiple
      hidden
      accept="video/*,image/*,.mkv,.mov,.avi,.webm,.mp4,.cube"
      @change="pick"
    />
    <input
      ref="fileInput"
      type="file"
      hidden
      accept=".json,.otio"
      @change="
        (event) => {
          const input = event.target as HTMLInputElement
          if (input.files?.[0]) void openFile(input.files[0])
          input.value = ''
        }
      "
    />
  </main>
</template>

<style scoped>
.shelf {
  padding: 20px 24px 48px;
  display: flex;
  flex-direction: column;
  gap: 28px;
}
.shelf.over {
  box-shadow: inset 0 0 0 3px var(--accent);
}
header {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-bottom: 12px;
}
.spring {
  flex: 1;
}
.grid {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(232px, 1fr));
  gap: 16px;
}
.tile {
  padding: 8px;
  border-radius: 6px;
  background: var(--panel);
  border: 1px solid var(--line);
  min-width: 0;
}
.tile.chosen {
  border-color: var(--accent);
}
.picture {
  display: block;
  aspect-ratio: 16 / 9;
  border-radius: 4px;
  overflow: hidden;
  background: var(--field);
  margin-bottom: 6px;
}
.thumb {
  width: 100%;
  height: 100%;
  display: grid;
  place-content: center;
  background-repeat: no-repeat;
  text-decoration: none;
}
.line {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 24px;
}
.line strong {
  flex: 1;
}
.warning {
  color: var(--doubt);
  font-size: 12px;
}
.uploads {
  display: grid;
  gap: 6px;
  margin-bottom: 12px;
}
.uploads li {
  display: grid;
  grid-template-columns: minmax(120px, 260px) 1fr 160px;
  gap: 12px;
  align-items: center;
}
.uploads li > :last-child {
  justify-self: end;
}
.uploads li > .wide {
  grid-column: 2 / -1;
  justify-self: stretch;
}
.welcome {
  margin: auto;
  max-width: 860px;
  text-align: center;
  display: grid;
  gap: 16px;
  padding: 48px;
  border: 2px dashed var(--control);
  border-radius: 12px;
}
.welcome h1 {
  font-size: 22px;
}
.row {
  display: flex;
  justify-content: center;
  gap: 8px;
}
.dropnote {
  position: fixed;
  inset: auto 0 24px;
  margin: auto;
  width: max-content;
  padding: 8px 16px;
  border-radius: 4px;
  background: var(--accent);
  color: var(--onAccent);
}
</style>
