<script setup lang="ts">
// The people of the film: who is in which shots, what is done with them, and what is to be asked.
import { NButton, NDropdown } from 'naive-ui'
import { computed, ref } from 'vue'
import type { FaceInfo, PersonInfo } from '../api/types'
import FaceTiles from '../parts/FaceTiles.vue'
import HideOrLeave from '../parts/HideOrLeave.vue'
import { lengthOf } from '../parts/words'
import Running from '../panels/Running.vue'
import { useFilm } from '../state/film'
import { confirmed } from '../state/say'
import { useStores } from '../state/stores'

const { session } = useStores()
const film = useFilm()
const who = computed(() => film.people)
const persons = computed(() => who.value?.persons ?? [])
const question = computed(() => who.value?.questions[0] ?? null)
const faces = computed(() => persons.value.reduce((sum, one) => sum + one.faces.length, who.value?.unknown.length ?? 0))
const carried = ref<FaceInfo | null>(null) // a face that is dragged
const over = ref<string | null>(null) // whose card it is dragged over

const nameOf = (one: PersonInfo) => one.name || `Person ${one.number}`
const seconds = (one: PersonInfo) => lengthOf(one.frames / session.rate)
const shotsOf = (one: PersonInfo) => new Set(one.faces.map((face) => face.shot)).size
function sureOf(one: PersonInfo): string {
  if (one.sure === null || one.faces.length < 2) return ''
  return one.sure > 0.9 ? 'sure' : one.sure > 0.6 ? 'quite sure' : 'not sure'
}

/** What can be done with a person. */
function acts(one: PersonInfo) {
  const others = persons.value.filter((other) => other.id !== one.id)
  return [
    { key: 'only', label: 'Hide only this one' },
    { key: 'but', label: 'Hide all but this one' },
    {
      key: 'join',
      label: 'The same person as',
      disabled: !others.length,
      children: others.map((other) => ({ key: `join ${other.id}`, label: nameOf(other) })),
    },
  ]
}

function act(key: string, one: PersonInfo) {
  if (key === 'only') void film.choose([one.id], true, false)
  else if (key === 'but') void film.choose([one.id], false, true)
  else void film.join(one.id, key.slice('join '.length))
}

/** To whom a face may be given. */
const owners = (face: FaceInfo) => [
  ...persons.value
    .filter((one) => !one.faces.includes(face))
    .map((one) => ({ key: one.id, label: `It is ${nameOf(one)}` })),
  { key: '', label: 'It is somebody else' },
]

function lift(face: FaceInfo | null) {
  carried.value = face
  if (!face) over.value = null
}

function drop(to: string | null) {
  const face = carried.value
  carried.value = over.value = null
  if (face) void film.move(face, to)
}

async function forget() {
  const sure = await confirmed(
    'Delete what was compared?',
    'The numbers that tell the faces of this film apart are deleted from this machine, and who is who with them. What is hidden stays hidden.',
    'Delete',
  )
  if (sure) await film.forget()
}
</script>

<template>
  <section class="people" aria-labelledby="people">
    <h2 id="people">People of the film</h2>
    <Running v-if="film.comparing" :of="film.comparing.subject ?? undefined" label="Comparing faces" />
    <template v-else-if="who">
      <p v-if="!faces" class="soft">
        No faces were found yet. Hide the faces of every shot, on the left; then they can be compared.
      </p>
      <template v-else-if="!who.described">
        <p>
          Cravo can compare the faces of all shots and say who is who. For that it computes numbers from each face that
          tell it apart: biometric data. They stay on this machine, with this project alone. They are deleted with it,
          or when you press <em>Delete what was compared</em>.
        </p>
        <p v-if="!who.able" class="bad">The network for it is not installed. Run ./cravo models to install it.</p>
        <div>
          <NButton type="primary" size="small" :disabled="!who.able" @click="film.compare">Compare faces</NButton>
        </div>
      </template>
      <section v-if="question" class="question" aria-label="Question">
        <div class="line pair">
          <img :src="film.picture(question.one)" :alt="`Face in ${question.one.shot_name}`" />
          <img :src="film.picture(question.other)" :alt="`Face in ${question.other.shot_name}`" />
          <div>
            <strong>The same person?</strong>
            <p class="soft">{{ question.one.shot_name }} and {{ question.other.shot_name }}</p>
            <div class="line">
              <NButton size="small" @click="film.tell(question.one, question.other, true)">Yes</NButton>
              <NButton size="small" @click="film.tell(question.one, question.other, false)">No</NButton>
              <span class="soft number">{{
                who.questions.length === 1 ? 'the only question' : `1 of ${who.questions.length} questions`
              }}</span>
            </div>
          </div>
        </div>
        <p class="soft">Until it is answered, whoever may be somebody to hide is hidden.</p>
      </section>
      <ul class="persons" aria-label="People">
        <li
          v-for="one in persons"
          :key="one.id"
          :class="{ over: over === one.id }"
          @dragover.prevent="over = one.id"
          @dragleave="over = null"
          @drop.prevent="drop(one.id)"
        >
          <div class="line">
            <input
              class="textfield name"
              maxlength="200"
              :value="one.name"
              :placeholder="`Person ${one.number}`"
              :aria-label="`Name of person ${one.number}`"
              @change="film.name(one.id, ($event.target as HTMLInputElement).value)"
              @keydown.enter="($event.target as HTMLInputElement).blur()"
            />
            <HideOrLeave
              :label="`What is done with ${nameOf(one)}`"
              :hidden="one.hide"
              @choose="(hide) => film.choose([one.id], hide)"
            />
            <NDropdown trigger="click" size="small" :options="acts(one)" @select="(key: string) => act(key, one)">
              <button class="plainbutton" type="button" :aria-label="`More for ${nameOf(one)}`">more</button>
            </NDropdown>
          </div>
          <div class="line">
            <FaceTiles :faces="one.faces" :of="`Face of ${nameOf(one)}`" :owners="owners" @lift="lift" />
            <p class="soft number">
              {{
                [`in ${shotsOf(one)} ${shotsOf(one) === 1 ? 'shot' : 'shots'}`, seconds(one), sureOf(one)]
                  .filter(Boolean)
                  .join(' · ')
              }}
            </p>
          </div>
        </li>
        <li
          v-if="carried"
          class="nobody soft"
          :class="{ over: over === '' }"
          @dragover.prevent="over = ''"
          @dragleave="over = null"
          @drop.prevent="drop(null)"
        >
          Somebody else
        </li>
      </ul>
      <section v-if="who.unknown.length && persons.length" aria-label="Not known">
        <div class="line">
          <strong class="grow">Not known</strong>
          <HideOrLeave
            label="What is done with faces nobody knows"
            :hidden="who.unknown_hidden"
            @choose="film.chooseUnknown"
          />
        </div>
        <p class="soft">Too small or too much turned away to be compared, or found since.</p>
        <FaceTiles :faces="who.unknown" of="Unknown face" :owners="owners" @lift="lift" />
      </section>
      <p v-if="who.described" class="line foot">
        <NButton size="tiny" @click="film.compare">Compare again</NButton>
        <NButton size="tiny" @click="forget">Delete what was compared</NButton>
      </p>
    </template>
  </section>
</template>

<style scoped>
.people {
  display: flex;
  flex-direction: column;
  gap: 12px;
  padding: 16px;
  overflow: auto;
  min-height: 0;
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
}
.persons {
  display: grid;
  gap: 10px;
}
.persons > li {
  display: grid;
  gap: 4px;
  padding: 8px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--ground);
}
.persons > li.over {
  border-color: var(--accent);
}
.nobody {
  text-align: center;
  border-style: dashed;
}
.name {
  flex: 1;
  min-width: 0;
  height: 26px;
  font-weight: 600;
}
.grow {
  flex: 1;
}
.pair img {
  display: block;
  width: 100%;
  height: 100%;
  object-fit: cover;
}
.question {
  display: grid;
  gap: 6px;
  padding: 10px;
  border: 1px solid var(--doubt);
  border-radius: 6px;
}
.pair img {
  width: 72px;
  height: 72px;
  border-radius: 4px;
}
.foot {
  margin-top: auto;
}
</style>
