// Faces and lettering of a shot: finding them, what was found, and what is covered.
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, content } from '../api/client'
import type { Faces, FoundMark, FoundThing, Lettering, ProjectState } from '../api/types'
import { attempt } from './say'
import { useWork } from './work'
import { useStores } from './stores'

export const useFound = defineStore('found', () => {
  const { session, selection, lanes, view, tools, commands } = useStores()
  const work = useWork()
  const faces = computed<Faces | null>(() => (selection.part?.kind === 'faces' ? selection.part : null))
  const lettering = computed<Lettering | null>(() =>
    selection.part && 'words' in selection.part ? selection.part : null,
  )
  const part = computed(() => faces.value ?? lettering.value)
  const list = shallowRef<FoundThing[] | null>(null) // null before the shot was searched
  const loads = ref(0)
  const ticked = shallowRef<Record<string, boolean>>({}) // what was ticked, until the server has it
  const pictures = shallowRef<Record<string, string>>({}) // by what they show; kept as long as the window is open
  const marked = ref(false) // finds are shown on the picture
  const marks = shallowRef<FoundMark[]>([])
  let asks = 0

  watch(
    () => [part.value?.id, lanes.results, session.state?.revision] as const,
    async ([now], before) => {
      const [project, shot, of] = [session.id, selection.shot?.id, part.value?.id]
      if (now !== before?.[0]) list.value = null
      if (!project || !shot || !of) return void (list.value = null)
      const turn = (loads.value += 1)
      const asked = { params: { path: { project, shot, part: of } } }
      const answer = await api.GET('/api/projects/{project}/found/{shot}/{part}', asked)
      if (turn !== loads.value) return
      list.value = answer.data ?? null
      if (!session.saving) ticked.value = {}
      void fetchPictures()
    },
    { immediate: true },
  )

  // The faces of the present frame as they were found, while that is wanted.
  watch(
    () => [marked.value && faces.value?.id, lanes.sourceFrame, view.playing, list.value] as const,
    async ([of, frame, playing]) => {
      const [project, shot] = [session.id, selection.shot?.id]
      const turn = (asks += 1)
      if (!of || playing || !project || !shot) return void (marks.value = [])
      const asked = { params: { path: { project, shot, part: of }, query: { frame } } }
      const answer = await api.GET('/api/projects/{project}/found/{shot}/{part}/marks', asked)
      if (turn === asks) marks.value = (answer.data ?? []) as FoundMark[]
    },
  )

  /** Find what a shot shows, for a region of its own or as one more part; `hide` puts large cells on it. */
  function begin(what: string, region: string | null, hide: boolean) {
    const shot = selection.shot
    if (!shot) return
    void work
      .begins((took) =>
        session.send(async (project, seen) => {
          const body = { seen, shot: shot.id, what, region, how: 'add' as const, hide }
          const asked = { params: { path: { project } }, body }
          const answer = await content(api.POST('/api/projects/{project}/found', asked))
          took(answer.work)
          return answer.state as ProjectState
        }),
      )
      .then((well) => well && selection.selectCreated())
  }

  function search(of = part.value?.id) {
    const [project, shot] = [session.id, selection.shot?.id]
    if (!project || !shot || !of) return
    const asked = { params: { path: { project } }, body: { shot, part: of } }
    void work.begins((took) =>
      attempt(async () => took(await content(api.POST('/api/projects/{project}/found/search', asked)))),
    )
  }

  function change(label: string, change: (one: Faces) => void, meant = true) {
    commands.editPart(label, (one) => change(one as Faces), meant)
  }

  function changeLines(label: string, change: (one: Lettering) => void, meant = true) {
    commands.editPart(label, (one) => change(one as Lettering), meant)
  }

  // Pictures come one after the other, so that they are never in the way of anything else.
  let fetching = false
  async function fetchPictures() {
    if (fetching) return
    fetching = true
    try {
      for (;;) {
        const next = list.value?.find((one) => !(one.picture in pictures.value))
        const [project, shot, of] = [session.id, selection.shot?.id, part.value?.id]
        if (!next || !project || !shot || !of) return
        const address = `/api/projects/${project}/found/${shot}/${of}/picture.jpg?name=${encodeURIComponent(next.name)}`
        const answer = await fetch(address).catch(() => null)
        const source = answer?.ok ? URL.createObjectURL(await answer.blob()) : ''
        pictures.value = { ...pictures.value, [next.picture]: source }
      }
    } finally {
      fetching = false
    }
  }

  const covered = (one: FoundThing) => ticked.value[one.name] ?? one.covered

  /** What the server refused is not shown as ticked. */
  async function tick(label: string, change: (one: Faces | Lettering) => void) {
    if (!(await commands.editPart(label, (one) => change(one as Faces | Lettering)))) ticked.value = {}
  }

  /** Cover only some of what was found, all of it, or nothing. */
  function choose(label: string, choice: 'all' | 'only', names: string[]) {
    ticked.value = Object.fromEntries(
      (list.value ?? []).map((one) => [one.name, choice === 'all' || names.includes(one.name)]),
    )
    void tick(label, (one) => {
      one.choice = choice
      one.chosen = names
    })
  }

  /** Cover one of what was found, or leave it open. */
  function cover(name: string, on: boolean) {
    ticked.value = { ...ticked.value, [name]: on }
    const what = faces.value ? 'face' : 'line'
    void tick(on ? `Cover ${what} ${name}` : `Leave ${what} ${name} open`, (one) => {
      const listed = one.choice === 'only' ? on : !on
      if (one.choice === 'all') one.choice = 'all but'
      one.chosen = listed ? [...new Set([...one.chosen, name])] : one.chosen.filter((other) => other !== name)
      if (one.choice === 'all but' && !one.chosen.length) one.choice = 'all'
    })
  }

  /** Keep a face as it is, or let it be found anew. */
  function lock(name: string, on: boolean) {
    const [shot, of] = [selection.shot?.id, part.value?.id]
    if (!shot || !of) return
    return session.send(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen, shot, part: of, name, on } }
      return (await content(api.POST('/api/projects/{project}/found/lock', asked))) as ProjectState
    })
  }

  function remove(name: string) {
    change(`Delete face ${name}`, (one) => (one.gone = [...one.gone, name]))
  }

  /** Two tracks are one person's. */
  function join(name: string, other: string) {
    change(`Join faces ${name} and ${other}`, (one) => (one.joins = [...one.joins, [name, other]]))
  }

  /** From this frame on it is somebody else. */
  function split(name: string) {
    change(`Split face ${name}`, (one) => (one.splits = [...one.splits, [name, lanes.sourceFrame]]))
  }

  /** Where a face is on this frame, drawn by hand. */
  function put(name: string, at: { x: number; y: number; rx: number; ry: number }) {
    const frame = lanes.sourceFrame
    change(`Set face ${name} by hand`, (one) => {
      const others = one.by_hand.filter((each) => each.track !== name || each.frame !== frame)
      one.by_hand = [...others, { track: name, frame, ...at, roll: 0 }]
    })
    tools.layDown()
  }

  /** The picture of a face or a line, once it is there. */
  const picture = (one: FoundThing): string | undefined => pictures.value[one.picture] || undefined

  return {
    part,
    faces,
    lettering,
    list,
    marked,
    marks,
    lock,
    begin,
    search,
    change,
    changeLines,
    cover,
    covered,
    choose,
    remove,
    join,
    split,
    put,
    picture,
  }
})
