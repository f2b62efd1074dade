// The project on the bench: its document, where the playhead is, what is selected, and every edit.
import { compare } from 'fast-json-patch'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, content, Refused } from '../api/client'
import { listen } from '../api/news'
import type { Lanes, Part, Pose, Poses, Project, ProjectState, Region, Shot, Trial } from '../api/types'
import { attempt, say } from './say'
import { useShelf } from './shelf'
import { framesPerSecond } from './numbers'

export type MatteView = 'outline' | 'veil' | 'matte' | 'chequer' | 'white' | 'black' | 'colour'
export const MATTE_VIEWS: MatteView[] = ['outline', 'veil', 'matte', 'chequer', 'white', 'black', 'colour']
export type Way = 'both' | 'forwards' | 'backwards' | 'next' | 'previous'

const TRIES = 4 // of an edit against a project that others change, too

export const useBench = defineStore('bench', () => {
  const shelf = useShelf()
  const id = ref<string | null>(null)
  const state = shallowRef<ProjectState | null>(null)
  const missing = ref<string | null>(null)
  const lanes = shallowRef<Lanes | null>(null)
  const poses = shallowRef<Record<string, Poses>>({})
  const timecodes = shallowRef<string[]>([])
  const results = ref(0) // grows when something computed has changed

  const frame = ref(0)
  const regionId = ref<string | null>(null)
  const view = ref<MatteView>('outline')
  const plain = ref('#d94f9a')
  const before = ref(0)
  const drawing = ref(false)
  const playing = ref(false)
  const trial = shallowRef<Trial | null>(null)
  const dragging = ref(false)
  const heldPose = shallowRef<{ part: string; pose: Pose } | null>(null) // until the server's answer replaces it

  const document = computed(() => state.value?.document ?? null)
  const rate = computed(() => framesPerSecond(document.value?.rate ?? '25/1'))
  const frames = computed(() => state.value?.frames ?? 0)
  const span = computed(() =>
    state.value?.spans.findLast((one) => one.start <= frame.value && frame.value < one.start + one.length),
  )
  const shot = computed<Shot | null>(() => {
    const wanted = span.value?.shot
    return document.value?.layers.flatMap((layer) => layer.items).find((one) => one.id === wanted) ?? null
  })
  const region = computed<Region | null>(() => shot.value?.regions.find((one) => one.id === regionId.value) ?? null)
  const sourceFrame = computed(() => {
    if (!span.value || !shot.value) return 0
    const place = frame.value - span.value.start
    const known = lanes.value?.shot === shot.value.id ? lanes.value.sources[place] : undefined
    return known ?? shot.value.first + place
  })
  const medium = computed(() => (shot.value ? shelf.medium(shot.value.medium) : undefined))
  const doubts = computed(() => {
    if (!lanes.value) return []
    const all = lanes.value.regions.flatMap((one) => one.doubts)
    return all.sort((a, b) => a.frame - b.frame)
  })

  listen((news) => {
    if (!id.value) return
    if (news.kind === 'project' && news.id === id.value && news.revision > (state.value?.revision ?? -1)) void reload()
    if (news.kind === 'back') void reload()
    if (news.kind === 'work' && news.work?.project === id.value && news.work.kind === 'follow') results.value += 1
  })

  async function open(project: string) {
    if (id.value !== project) {
      id.value = project
      state.value = lanes.value = regionId.value = null
      poses.value = {}
      frame.value = 0
      missing.value = null
    }
    await Promise.all([reload(), shelf.load()])
  }

  async function reload() {
    const project = id.value
    if (!project) return
    try {
      const fresh = await content(api.GET('/api/projects/{project}', { params: { path: { project } } }))
      if (id.value === project) take(fresh as ProjectState)
    } catch (error) {
      if (error instanceof Refused && error.status === 404) missing.value = error.message
    }
  }

  function take(fresh: ProjectState) {
    state.value = fresh
    if (!dragging.value) trial.value = null
    if (frame.value >= fresh.frames) frame.value = Math.max(0, fresh.frames - 1)
  }

  // Edits follow one another. An edit that meets a newer state is made again on that state.
  let queue: Promise<unknown> = Promise.resolve()

  function send(
    run: (project: string, seen: number, document: Project) => Promise<ProjectState | null>,
  ): Promise<boolean> {
    const done = queue.then(() => attempt(() => tried(run)))
    queue = done
    return done
  }

  async function tried(run: (project: string, seen: number, document: Project) => Promise<ProjectState | null>) {
    for (let left = TRIES; ; left -= 1) {
      if (!id.value || !state.value) return
      try {
        const fresh = await run(id.value, state.value.revision, state.value.document)
        if (fresh) take(fresh)
        return
      } catch (error) {
        trial.value = heldPose.value = null
        if (!(error instanceof Refused) || error.status !== 409 || left <= 1) throw error
        await reload()
      }
    }
  }

  /** Change the document; `change` may run again on a newer document, so it looks everything up by id. */
  function edit(label: string, change: (document: Project) => void): Promise<boolean> {
    return send(async (project, seen, old) => {
      const fresh = structuredClone(old)
      change(fresh)
      const patch = compare(old, fresh)
      if (!patch.length) return null
      const body = { seen, label, patch: patch as unknown as Record<string, unknown>[] }
      return (await content(
        api.POST('/api/projects/{project}/edits', { params: { path: { project } }, body }),
      )) as ProjectState
    })
  }

  /** Change the selected region, or another one of the shot. */
  function editRegion(label: string, change: (region: Region) => void, which = regionId.value): Promise<boolean> {
    const where = shot.value?.id
    return edit(label, (fresh) => {
      const found = fresh.layers
        .flatMap((layer) => layer.items)
        .find((one) => one.id === where)
        ?.regions.find((one) => one.id === which)
      if (!found) throw new Error('This region was deleted in another window.')
      change(found)
    })
  }

  /** The patch that a change of the selected region would be, for trying it out. */
  function tryRegion(change: (region: Region) => void) {
    if (!state.value || !region.value) return
    const old = state.value.document
    const fresh = structuredClone(old)
    for (const layer of fresh.layers)
      for (const item of layer.items)
        for (const one of item.regions) if (item.id === shot.value?.id && one.id === regionId.value) change(one)
    trial.value = { patch: compare(old, fresh) as unknown as Record<string, unknown>[] }
  }

  function step(way: 'undo' | 'redo') {
    const label = way === 'undo' ? state.value?.undo : state.value?.redo
    if (!label) return
    void send(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen } }
      const answer =
        way === 'undo'
          ? api.POST('/api/projects/{project}/undo', asked)
          : api.POST('/api/projects/{project}/redo', asked)
      return (await content(answer)) as ProjectState
    }).then((well) => well && say().message.info(`${way === 'undo' ? 'Undone' : 'Done again'}: ${label}`))
  }

  async function addRegion(pose: Pose) {
    const where = shot.value?.id
    if (!where) return
    const at = sourceFrame.value
    const known = new Set(shot.value?.regions.map((one) => one.id))
    drawing.value = false
    await send(async (project, seen) => {
      const body = { seen, shot: where, frame: at, pose }
      const asked = api.POST('/api/projects/{project}/regions', { params: { path: { project } }, body })
      return (await content(asked)) as ProjectState
    })
    regionId.value = shot.value?.regions.find((one) => !known.has(one.id))?.id ?? regionId.value
  }

  async function removeRegion(which: string) {
    const where = shot.value?.id
    if (!where) return
    await send(async (project, seen) => {
      const asked = api.POST('/api/projects/{project}/regions/{region}/remove', {
        params: { path: { project, region: which } },
        body: { seen, shot: where },
      })
      return (await content(asked)) as ProjectState
    })
  }

  function place(part: Part, pose: Pose, label: string) {
    const where = shot.value?.id
    if (!where) return
    const at = sourceFrame.value
    heldPose.value = { part: part.id, pose }
    void send(async (project, seen) => {
      const body = { seen, shot: where, part: part.id, frame: at, pose, label }
      const asked = api.POST('/api/projects/{project}/place', { params: { path: { project } }, body })
      return (await content(asked)) as ProjectState
    })
  }

  /** Show where a handle has been dragged to, before it is let go. */
  function tryPlace(part: Part, pose: Pose) {
    if (!shot.value) return
    heldPose.value = { part: part.id, pose }
    trial.value = { patch: [], place: { shot: shot.value.id, part: part.id, frame: sourceFrame.value, pose } }
  }

  function clearKey(part: Part) {
    const where = shot.value?.id
    if (!where) return
    const at = sourceFrame.value
    void send(async (project, seen) => {
      const body = { seen, shot: where, part: part.id, frame: at }
      const asked = api.POST('/api/projects/{project}/clear-key', { params: { path: { project } }, body })
      return (await content(asked)) as ProjectState
    })
  }

  function follow(part: Part, way: Way, stretch?: [number, number]) {
    const where = shot.value?.id
    if (!where) return
    const at = sourceFrame.value
    void send(async (project, seen) => {
      const body = { seen, shot: where, part: part.id, frame: at, way, span: stretch ?? null }
      const asked = api.POST('/api/projects/{project}/follow', { params: { path: { project } }, body })
      return (await content(asked)).state as ProjectState
    })
  }

  function addShot(clip: string) {
    return send(async (project, seen) => {
      const body = { seen, medium: clip }
      const asked = api.POST('/api/projects/{project}/shots', { params: { path: { project } }, body })
      return (await content(asked)) as ProjectState
    })
  }

  function go(to: number) {
    frame.value = Math.min(Math.max(Math.round(to), 0), Math.max(frames.value - 1, 0))
  }

  /** Where a source frame of the present shot is in the piece. */
  function pieceFrame(source: number): number {
    if (!span.value) return 0
    const sources = lanes.value?.sources ?? []
    const place = sources.findIndex((one) => one >= source)
    return span.value.start + (place < 0 ? span.value.length - 1 : place)
  }

  function goDoubt(step: 1 | -1) {
    const here = sourceFrame.value
    const next = step > 0 ? doubts.value.find((d) => d.frame > here) : doubts.value.findLast((d) => d.frame < here)
    if (!next) {
      say().message.info(doubts.value.length ? 'No further doubt in this direction.' : 'No doubts in this shot.')
      return
    }
    regionId.value = next.region
    go(pieceFrame(next.frame))
    say().message.warning(`${region.value?.name ?? 'Region'}: ${next.reason}`)
  }

  /** The pose of a part on the present frame, as far as it is known here. */
  function poseOf(part: Part): Pose | null {
    if (heldPose.value?.part === part.id) return heldPose.value.pose
    const known = poses.value[part.id]
    const numbers = known?.poses[sourceFrame.value - known.first]
    if (!numbers) return null
    const [x, y, rx, ry, rotation] = numbers
    return { x, y, rx, ry, rotation }
  }

  watch([id, frames, () => document.value?.rate], async ([project, length]) => {
    timecodes.value = []
    if (!project || !length) return
    try {
      const fresh = await content(api.GET('/api/projects/{project}/timecodes', { params: { path: { project } } }))
      if (id.value === project) timecodes.value = fresh
    } catch {
      // The banner about the connection says it.
    }
  })

  // Lanes and poses follow the document and what is computed; asked for once at a time, and again for the last news.
  let asking = false
  let askAgain = false
  watch([() => state.value?.revision, () => shot.value?.id, results], () => void refresh())

  async function refresh() {
    if (asking) {
      askAgain = true
      return
    }
    asking = true
    try {
      do {
        askAgain = false
        await fetchLanes()
      } while (askAgain)
    } finally {
      asking = false
    }
  }

  async function fetchLanes() {
    const project = id.value
    const where = shot.value
    if (!project || !where) {
      lanes.value = null
      return
    }
    try {
      const path = { project, shot: where.id }
      const parts = where.regions.flatMap((one) => one.parts)
      const [fresh, ...stands] = await Promise.all([
        content(api.GET('/api/projects/{project}/lanes/{shot}', { params: { path } })),
        ...parts.map((part) =>
          content(
            api.GET('/api/projects/{project}/poses/{shot}/{part}', { params: { path: { ...path, part: part.id } } }),
          ),
        ),
      ])
      if (id.value !== project) return
      lanes.value = fresh as Lanes
      poses.value = Object.fromEntries((stands as Poses[]).map((one) => [one.part, one]))
      if (!dragging.value) heldPose.value = null
    } catch {
      // The project has changed meanwhile; the news about it brings the next attempt.
    }
  }

  return {
    id,
    state,
    missing,
    lanes,
    poses,
    results,
    timecodes,
    frame,
    regionId,
    view,
    plain,
    before,
    drawing,
    playing,
    trial,
    dragging,
    heldPose,
    document,
    rate,
    frames,
    span,
    shot,
    region,
    sourceFrame,
    medium,
    doubts,
    open,
    edit,
    editRegion,
    tryRegion,
    step,
    addRegion,
    removeRegion,
    place,
    tryPlace,
    clearKey,
    follow,
    addShot,
    go,
    pieceFrame,
    goDoubt,
    poseOf,
  }
})
