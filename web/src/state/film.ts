// The whole film: how its shots stand, the same in many of them, and who is who.
import { useDebounceFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { AlikeFound, Edit, FaceInfo, PeopleInfo, ProjectState, ShotLine } from '../api/types'
import { useProof } from './proof'
import { attempt } from './say'
import { useSession } from './session'
import { useWork } from './work'

export type Standing = ShotLine['standing']
/** How a shot can stand, from the worst on, and what that is called. */
export const STANDINGS: Record<Standing, string> = {
  open: 'open',
  doubts: 'has doubts',
  guesses: 'has guesses',
  untouched: 'nothing done yet',
  whole: 'whole',
}

type InShots = Extract<Edit, { do: 'in shots' }>
const SETTLES = 300 // milliseconds after the last of many news

export const useFilm = defineStore('film', () => {
  const session = useSession()
  const work = useWork()
  const proof = useProof()
  const shots = shallowRef<ShotLine[] | null>(null) // null before they are known
  const people = shallowRef<PeopleInfo | null>(null)
  const alike = shallowRef<AlikeFound | null>(null) // what was found by the last look for the same thing
  const path = () => ({ params: { path: { project: session.id! } } })
  const searching = computed(() => work.running.find((one) => one.kind === 'shots' && one.project === session.id))
  const looking = computed(() => work.running.find((one) => one.kind === 'alike' && one.project === session.id))
  const comparing = computed(() => work.running.find((one) => one.kind === 'compare' && one.project === session.id))
  const version = ref(0) // of the pictures of shots: it grows when they may look different
  let shown = 0 // screens that show people

  listen((news) => {
    const own = news.kind === 'work' && news.work?.project === session.id && news.work?.state === 'done'
    if (own && news.work?.kind !== 'compare') version.value += 1
    if (news.kind === 'back' || own || (news.kind === 'project' && news.id === session.id)) void settle()
  })
  watch(
    () => session.id,
    () => {
      shots.value = people.value = alike.value = null
      void load()
    },
  )

  const settle = useDebounceFn(load, SETTLES)

  async function load() {
    const project = session.id
    if (!project) return
    try {
      const lines = await content(api.GET('/api/projects/{project}/shots', path()))
      const who = shown ? await content(api.GET('/api/projects/{project}/people', path())) : people.value
      const same = shown ? await content(api.GET('/api/projects/{project}/alike', path())) : alike.value
      if (project !== session.id) return
      alike.value = same
      shots.value = lines
      people.value = who
    } catch {
      // What is gone, or cannot be reached, the screen says itself.
    }
  }

  /** A screen shows people until it says that it does not any more. */
  function showing(): () => void {
    shown += 1
    void load()
    return () => (shown -= 1)
  }

  /** The same edit in many shots; what it finds is found in the background. */
  function inShots(of: string[], edit: InShots['edit']) {
    return work.begins((took) =>
      session.send(async (project, seen) => {
        const asked = {
          params: { path: { project } },
          body: { seen, edit: { do: 'in shots' as const, shots: of, edit } },
        }
        const answer = await content(api.POST('/api/projects/{project}/shots/edit', asked))
        if (answer.work) took(answer.work)
        return answer.state as ProjectState
      }),
    )
  }

  /** Look in every other shot for what a region covers. */
  function look(shot: string, region: string) {
    const asked = { ...path(), body: { shot, region } }
    return work.begins((took) =>
      attempt(async () => took(await content(api.POST('/api/projects/{project}/alike', asked)))),
    )
  }

  /** Finds become regions, which are followed. */
  function take(numbers: number[]) {
    return work.begins((took) =>
      session.send(async (project, seen) => {
        const asked = { params: { path: { project } }, body: { seen, numbers } }
        const answer = await content(api.POST('/api/projects/{project}/alike/take', asked))
        if (answer.work) took(answer.work)
        return answer.state as ProjectState
      }),
    )
  }

  function compare() {
    return work.begins((took) =>
      attempt(async () => took(await content(api.POST('/api/projects/{project}/people/compare', path())))),
    )
  }

  function tell(one: FaceInfo, other: FaceInfo, same: boolean) {
    return session.send(async (project, seen) => {
      const body = { seen, one: trackOf(one), other: trackOf(other), same }
      const asked = { params: { path: { project } }, body }
      return (await content(api.POST('/api/projects/{project}/people/tell', asked))) as ProjectState
    })
  }

  function forget() {
    return session.send(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen } }
      return (await content(api.POST('/api/projects/{project}/people/forget', asked))) as ProjectState
    })
  }

  /** Somebody is hidden or left; with `others` all the others the other way. */
  function choose(persons: string[], hide: boolean, others: boolean | null = null) {
    return session.command({ do: 'choose people', persons, hide, others, who: proof.who.trim() })
  }

  function chooseUnknown(hide: boolean) {
    return session.command({ do: 'choose people', persons: [], hide, unknown: hide, who: proof.who.trim() })
  }

  function name(person: string, to: string) {
    return session.command({ do: 'name person', person, name: to })
  }

  function join(person: string, into: string) {
    return session.command({ do: 'join people', person, into })
  }

  function move(face: FaceInfo, to: string | null) {
    return session.command({ do: 'move face', face: trackOf(face), to })
  }

  /** The picture of a face where it is seen best. */
  function picture(face: FaceInfo): string {
    const of = `/api/projects/${session.id}/found/${face.shot}/${face.part}/picture.jpg`
    return `${of}?name=${encodeURIComponent(face.track)}&of=${face.picture}`
  }

  // prettier-ignore
  return {
    shots, people, alike, searching, comparing, looking, version,
    load, showing, inShots, look, take, compare, tell, forget, choose, chooseUnknown, name, join, move, picture,
  }
})

const trackOf = ({ shot, part, track }: FaceInfo) => ({ shot, part, track })

/** "shot 3 of 12", of work on many shots. */
export function placeIn(work: { done: number; detail: Record<string, unknown> }): string {
  const ends = (work.detail.ends as number[] | undefined) ?? []
  const at = ends.findIndex((end) => work.done < end)
  return ends.length ? `shot ${at < 0 ? ends.length : at + 1} of ${ends.length}` : ''
}
