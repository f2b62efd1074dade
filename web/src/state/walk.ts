// A first job, step by step on the real screens: each step waits until it is really done.
import { useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, watch } from 'vue'
import type { Part, Region } from '../api/types'
import { useLanes } from './lanes'
import { useProof } from './proof'
import { useSession } from './session'
import { shotsOf } from './shots'
import { useView } from './view'
import { useWork } from './work'

export const WALKS = ['hide faces', 'one in colour', 'title behind'] as const
export type Walk = (typeof WALKS)[number]

/** What has come about in the project that is open. */
export interface Now {
  regions: Region[]
  titles: number
  computed: string[] // regions that are known on most frames of the shot, with nothing under way for them
  played: boolean
  checked: boolean
  exported: boolean
}

interface Step {
  say: string
  done: (now: Now) => boolean
}

const has = (now: Now, kind: Part['kind']) => now.regions.filter((one) => one.parts.some((part) => part.kind === kind))
const DRAW: Step = {
  say: 'Press A person or thing, below the picture, and draw one line down the person, from head to foot.',
  done: (now) => has(now, 'cut-out').some((one) => one.parts.some((part) => 'strokes' in part && part.strokes.length)),
}
const PROPAGATE: Step = {
  say: 'Press Propagate on the card. The lane fills: that is where the person is cut out.',
  done: (now) => has(now, 'cut-out').some((one) => now.computed.includes(one.id)),
}
const PLAY: Step = { say: 'Press Play, and look.', done: (now) => now.played }
const EXPORT: Step = {
  say: 'Go to Export, at the top, and press the button at the foot of its settings. Where something may be open it asks first.',
  done: (now) => now.exported,
}

export const STEPS: Record<Walk, { name: string; about: string; steps: Step[] }> = {
  'hide faces': {
    name: 'Hide faces',
    about: 'Found, covered, and checked before export.',
    steps: [
      {
        say: 'Press Faces, below the picture: every face of the shot is found and covered.',
        done: (now) => has(now, 'faces').length > 0,
      },
      {
        say: 'Wait until the lane is filled. Solid is sure, hatched is a guess, a notch is a doubt.',
        done: (now) => has(now, 'faces').some((one) => now.computed.includes(one.id)),
      },
      { say: 'Press Play, and look whether anybody can be seen.', done: (now) => now.played },
      {
        say: 'Go to Proof, at the top, and press Check now: it searches once more for what is open.',
        done: (now) => now.checked,
      },
      EXPORT,
    ],
  },
  'one in colour': {
    name: 'Keep one thing in colour',
    about: 'Cut somebody out with one line; all else goes grey.',
    steps: [
      DRAW,
      PROPAGATE,
      {
        say: 'Under Outside looks press Add a look, and choose Desaturate.',
        done: (now) => now.regions.some((one) => one.outside.some((look) => look.kind === 'desaturate')),
      },
      PLAY,
      EXPORT,
    ],
  },
  'title behind': {
    name: 'Put a title behind somebody',
    about: 'Letters between a person and what is behind them.',
    steps: [
      DRAW,
      PROPAGATE,
      {
        say: 'Press Behind … on the card, then Text behind this. The text can be changed on its own card.',
        done: (now) => now.titles > 0,
      },
      PLAY,
      EXPORT,
    ],
  },
}

interface Place {
  walk: Walk | null // null while it is asked which
  at: number
  left: boolean
}

export const useWalk = defineStore('walk', () => {
  const session = useSession()
  const lanes = useLanes()
  const view = useView()
  const proof = useProof()
  const work = useWork()
  const places = useStorage<Record<string, Place>>('cravo.walks', {})
  const offered = useStorage('cravo.walk.offered', false)

  const place = computed(() => (session.id ? places.value[session.id] : undefined))
  const walk = computed(() => (place.value?.walk ? STEPS[place.value.walk] : null))
  const step = computed(() => walk.value?.steps[place.value!.at] ?? null)

  /** Share of the shot's frames on which something of a region is known; it need not be there on all of them. */
  function known(region: string): number {
    const runs = lanes.of?.regions.find((lane) => lane.region === region)?.runs ?? []
    const frames = (some: typeof runs) => some.reduce((sum, run) => sum + run.last - run.first + 1, 0)
    return frames(runs.filter((run) => run.state !== 'empty')) / Math.max(frames(runs), 1)
  }

  const now = computed<Now>(() => ({
    regions: shotsOf(session.document).flatMap((shot) => shot.regions),
    titles: session.document?.layers.flatMap((layer) => layer.items).filter((one) => one.kind === 'title').length ?? 0,
    computed: shotsOf(session.document)
      .flatMap((shot) => shot.regions)
      .filter((region) => known(region.id) >= 0.5 && !region.parts.some((part) => work.on(part.id)))
      .map((region) => region.id),
    played: view.playing,
    checked: !!proof.running,
    exported: work.running.some((one) => one.kind === 'render' && one.project === session.id),
  }))
  watch(
    () => step.value?.done(now.value) ?? false,
    (done) => {
      if (done && place.value) places.value[session.id!] = { ...place.value, at: place.value.at + 1 }
    },
    { immediate: true },
  )

  function begin(project: string, which: Walk | null) {
    offered.value = true
    places.value[project] = { walk: which, at: 0, left: false }
  }

  /** Ask once what the first project of somebody's own is for. */
  function offer(project: string) {
    if (!offered.value) begin(project, null)
  }

  function leave(left = true) {
    if (!place.value) return
    if (left && (!walk.value || !step.value)) delete places.value[session.id!]
    else places.value[session.id!] = { ...place.value, left }
  }

  return { place, walk, step, begin, offer, leave }
})
