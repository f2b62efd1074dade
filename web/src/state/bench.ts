// The project on the bench: its document, where the playhead is, what is selected, and every edit.
import { compare } from 'fast-json-patch'
import { defineStore } from 'pinia'
import { computed, nextTick, ref, shallowRef, watch } from 'vue'
import { api, content, Refused } from '../api/client'
import { listen } from '../api/news'
import type {
  ArrangeRequest,
  Arranging,
  Carried,
  CutOut,
  Edit,
  Item,
  Kind,
  Lanes,
  Model,
  Motion,
  OutlinePoint,
  Part,
  Pose,
  Project,
  ProjectState,
  Recipe,
  Region,
  SetUp,
  Shape,
  Shot,
  Trial,
} from '../api/types'
import { attempt, say } from './say'
import { itemsOf, shotsOf } from './shots'
import { useShelf } from './shelf'
import { useWork } from './work'
import { IDENTITY, type Matrix } from '../viewer/geometry'
import { framesPerSecond, isShape, outlineOf, pointsAt, poseAt } from './numbers'

export type MatteView = 'outline' | 'veil' | 'matte' | 'chequer' | 'white' | 'black' | 'colour'
export const MATTE_VIEWS: MatteView[] = ['outline', 'veil', 'matte', 'chequer', 'white', 'black', 'colour']
/** What a press on the picture does: draw a shape (into a region, or a new one), an area, or put a tracker. */
export type Tool =
  | { draw: Kind; into: string | null }
  | { draw: 'area' }
  | { draw: 'face'; track: string }
  | { draw: 'spot'; recipe: Recipe }
  | { draw: 'tracker'; motion: string | null }
  | { draw: 'pick'; include: boolean; part: string | null; into: string | null }
  | { draw: 'stroke'; include: boolean; part: string | null; into: string | null }
export type Way = 'both' | 'forwards' | 'backwards' | 'next' | 'previous'

/** A picture kept to compare others with. */
export interface Still {
  bitmap: ImageBitmap
  label: string
}

const STRETCH = 1000 // frames
const TRIES = 4 // of an edit against a project that others change, too

export const useBench = defineStore('bench', () => {
  const shelf = useShelf()
  const work = useWork()
  const id = ref<string | null>(null)
  const state = shallowRef<ProjectState | null>(null)
  const missing = ref<string | null>(null)
  const lanes = shallowRef<Lanes | null>(null)
  const carried = shallowRef<Record<string, Carried>>({})
  const timecodes = shallowRef<string[]>([])
  const results = ref(0) // grows when something computed has changed

  const frame = ref(0)
  const regionId = ref<string | null>(null)
  const partId = ref<string | null>(null)
  const itemId = ref<string | null>(null) // chosen on the layers
  const motionId = ref<string | null>(null) // whose card is shown instead of the region's
  const chosen = ref<number[]>([]) // points of the selected path
  const view = ref<MatteView>('outline')
  const plain = ref('#d94f9a')
  const before = ref(0)
  const aside = ref(false) // untreated and treated side by side
  const stills = shallowRef<Still[]>([]) // kept to compare with, as long as the window is open
  const still = shallowRef<Still | null>(null) // that is laid over the left part of the picture
  const below = ref<'lanes' | 'layers' | 'scopes'>('lanes')
  const choosing = ref(false) // a recipe
  const closing = ref(true) // gaps that an arrangement leaves on a layer
  const reading = ref(false) // values under the pointer
  const tool = shallowRef<Tool | null>(null)
  const model = ref<Model>('similarity') // for motions to come
  const grid = ref(false)
  const everywhere = ref(false) // a followed shape is changed on all frames, not on the present one
  const keyInHand = ref<number | null>(null)
  const playing = ref(false)
  const trial = shallowRef<Trial | null>(null)
  const dragging = ref(false)
  // What a drag has done to a shape, in its own space, until the server's answer replaces it.
  const held = shallowRef<{ part: string; pose?: Pose; points?: OutlinePoint[] } | null>(null)

  const document = computed(() => state.value?.document ?? null)
  const rate = computed(() => framesPerSecond(document.value?.rate ?? '25/1'))
  const frames = computed(() => state.value?.frames ?? 0)
  // The shot that is worked on: the one chosen on the layers, else the uppermost one here.
  const span = computed(() => {
    const here = (state.value?.spans ?? []).filter(
      (one) => one.start <= frame.value && frame.value < one.start + one.length,
    )
    return here.find((one) => one.shot === itemId.value) ?? here[here.length - 1]
  })
  const item = computed<Item | null>(() => itemsOf(document.value).find((one) => one.id === itemId.value) ?? null)
  const shot = computed<Shot | null>(() => {
    const wanted = span.value?.shot
    return shotsOf(document.value).find((one) => one.id === wanted) ?? null
  })
  const region = computed<Region | null>(() => shot.value?.regions.find((one) => one.id === regionId.value) ?? null)
  const selected = computed<Part | null>(
    () => region.value?.parts.find((one) => one.id === partId.value) ?? region.value?.parts[0] ?? null,
  )
  const part = computed<Shape | null>(() => (selected.value && isShape(selected.value) ? selected.value : null))
  const cutOut = computed<CutOut | null>(() => (selected.value?.kind === 'cut-out' ? selected.value : null))
  const motion = computed<Motion | null>(() => shot.value?.motions.find((one) => one.id === motionId.value) ?? null)
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
    if (news.kind === 'work' && news.work?.project === id.value && news.work.kind !== 'render') results.value += 1
  })

  async function open(project: string) {
    if (id.value !== project) {
      id.value = project
      state.value = lanes.value = regionId.value = itemId.value = null
      carried.value = {}
      partId.value = motionId.value = tool.value = keyInHand.value = null
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
  const created = shallowRef<string[]>([]) // ids of what the last edit made
  const saving = ref(0) // edits that the server does not have yet

  function send(
    run: (project: string, seen: number, document: Project) => Promise<ProjectState | null>,
  ): Promise<boolean> {
    saving.value += 1
    const done = queue.then(() => attempt(() => tried(run))).finally(() => (saving.value -= 1))
    queue = done
    return done
  }

  async function tried(run: (project: string, seen: number, document: Project) => Promise<ProjectState | null>) {
    for (let left = TRIES; ; left -= 1) {
      if (!id.value || !state.value) return
      try {
        const fresh = await run(id.value, state.value.revision, state.value.document)
        created.value = fresh?.created ?? []
        if (fresh) take(fresh)
        return
      } catch (error) {
        trial.value = held.value = null
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
      const found = shotsOf(fresh)
        .find((one) => one.id === where)
        ?.regions.find((one) => one.id === which)
      if (!found) throw new Error('This region was deleted in another window.')
      change(found)
    })
  }

  /** Change the selected shape, or another one of the region; without `meant` only to see what it would be like. */
  function editPart(
    label: string,
    to: (part: Part) => void,
    meant = true,
    which = selected.value?.id,
  ): Promise<boolean> {
    const run = (one: Region) => {
      const found = one.parts.find((each) => each.id === which)
      if (found) to(found)
    }
    if (meant) return editRegion(label, run)
    tryRegion(run)
    return Promise.resolve(true)
  }

  /** The patch that a change of the selected region would be, for trying it out. */
  function tryRegion(change: (region: Region) => void) {
    if (!state.value || !region.value) return
    const old = state.value.document
    const fresh = structuredClone(old)
    for (const item of shotsOf(fresh))
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

  /** An edit by the rules of the job. */
  function change(make: (shot: string, frame: number) => Edit): Promise<boolean> {
    const where = shot.value?.id
    if (!where) return Promise.resolve(false)
    const wish = make(where, sourceFrame.value)
    return send(async (project, seen) => {
      const asked = api.POST('/api/projects/{project}/changes', {
        params: { path: { project } },
        body: { seen, edit: wish },
      })
      return (await content(asked)) as ProjectState
    })
  }

  /**
   * A drawn or copied shape becomes a region of its own, or a part of one, and is selected. `matrix` is what carried
   * a copy where it was seen in another shot.
   */
  async function addShape(fresh: Omit<Part, 'id'>, into: string | null, matrix: number[][] | null = null) {
    tool.value = null
    const made = fresh as Part
    const well = await change((where, frame) =>
      into
        ? { do: 'add part', shot: where, region: into, frame, part: made, matrix }
        : { do: 'new region', shot: where, frame, part: made, matrix },
    )
    if (well) selectCreated()
  }

  /** Select the part that the last edit made, and return it. */
  function selectCreated(): Part | undefined {
    for (const one of shot.value?.regions ?? []) {
      const part = one.parts.find((each) => created.value.includes(each.id))
      if (!part) continue
      select(one.id, part.id)
      return part
    }
  }

  /** The motion of a shot that the last edit made. */
  const createdMotion = (of = shot.value) => of?.motions.find((one) => created.value.includes(one.id))

  /** Give the server's answer to something that changed the document and began work. */
  function sent(run: (project: string, seen: number) => Promise<ProjectState>): Promise<boolean> {
    return send((project, seen) => run(project, seen))
  }

  function select(which: string | null, shape: string | null = null) {
    regionId.value = which
    if (shape !== partId.value) chosen.value = []
    partId.value = shape
    motionId.value = null
  }

  function place(shape: Shape, pose: Pose, what: string) {
    held.value = { part: shape.id, pose }
    const all = everywhere.value && !!shape.rides_on
    void change((where, frame) => ({ do: 'place', shot: where, part: shape.id, frame, pose, what, everywhere: all }))
  }

  function reshape(shape: Shape, points: OutlinePoint[]) {
    held.value = { part: shape.id, points }
    void change((where, frame) => ({ do: 'reshape', shot: where, part: shape.id, frame, points }))
  }

  /** Show where a handle has been dragged to, before it is let go. */
  function tryOut(shape: Shape, to: { pose?: Pose; points?: OutlinePoint[] }) {
    if (!shot.value) return
    held.value = { part: shape.id, ...to }
    const on = { shot: shot.value.id, part: shape.id, frame: sourceFrame.value }
    const edit: Edit | null = to.pose
      ? { do: 'place', ...on, pose: to.pose, what: 'Move shape', everywhere: everywhere.value && !!shape.rides_on }
      : to.points
        ? { do: 'reshape', ...on, points: to.points }
        : null
    if (edit) trial.value = { patch: [], edit }
  }

  function follow(what: { part?: string; motion?: string }, way: Way, stretch?: [number, number], again = false) {
    const where = shot.value?.id
    if (!where) return
    const at = sourceFrame.value
    void work.begins((took) =>
      send(async (project, seen) => {
        const body = { seen, shot: where, frame: at, way, span: stretch ?? null, model: model.value, again, ...what }
        const asked = api.POST('/api/projects/{project}/follow', { params: { path: { project } }, body })
        const answer = await content(asked)
        took(answer.work)
        return answer.state as ProjectState
      }),
    )
  }

  /** Forget what was followed on the frames of a span. */
  async function forget(which: string, first: number, last: number) {
    const [project, where] = [id.value, shot.value?.id]
    if (!project || !where) return
    await attempt(() =>
      content(
        api.POST('/api/projects/{project}/motions/{motion}/clear', {
          params: { path: { project, motion: which } },
          body: { shot: where, first, last },
        }),
      ),
    )
    results.value += 1
  }

  /** Bring in a motion or shapes from an open file. */
  async function readFile(file: File): Promise<boolean> {
    const where = shot.value?.id
    if (!where) return false
    const text = await file.text()
    return send(async (project, seen) => {
      const body = { seen, shot: where, frame: sourceFrame.value, name: file.name, text }
      const asked = api.POST('/api/projects/{project}/bring', { params: { path: { project } }, body })
      return (await content(asked)) as ProjectState
    })
  }

  /** Change a motion of the shot. */
  function editMotion(label: string, which: string, to: (motion: Motion) => void): Promise<boolean> {
    const where = shot.value?.id
    return edit(label, (fresh) => {
      const found = shotsOf(fresh)
        .find((one) => one.id === where)
        ?.motions.find((one) => one.id === which)
      if (!found) throw new Error('This motion was deleted in another window.')
      to(found)
    })
  }

  function addShot(clip: string) {
    return send(async (project, seen) => {
      const body = { seen, medium: clip }
      const asked = api.POST('/api/projects/{project}/shots', { params: { path: { project } }, body })
      return (await content(asked)) as ProjectState
    })
  }

  /** Split, trim, move, copy, hold or take out something on a layer, else the present shot. */
  function arrange(what: Arranging, more: Partial<ArrangeRequest> = {}) {
    const which = more.shot ?? (below.value === 'layers' ? itemId.value : null) ?? shot.value?.id
    if (!which) return
    const [at, bare] = [frame.value, region.value === null]
    void sent(async (project, seen) => {
      const body = { close: closing.value, layer: 0, length: Math.round(rate.value), frame: at, ...more }
      const asked = { params: { path: { project } }, body: { ...body, seen, shot: which, do: what } }
      return (await content(api.POST('/api/projects/{project}/arrange', asked))) as ProjectState
    }).then((well) => {
      if (!well) return
      // The same picture stays in sight where it can.
      const moved = state.value?.spans.find((one) => one.shot === which)
      if (moved && (what === 'begin' || what === 'earlier' || what === 'later')) go(moved.start)
      else go(frame.value)
      // The shot's own card stays, where it was in sight.
      if (bare) void nextTick(() => select(null))
    })
  }

  /** Find the cuts in the present shot and split it there, in the background. */
  function splitAtCuts() {
    const [project, which] = [id.value, shot.value?.id]
    if (!project || !which) return
    const asked = { params: { path: { project } }, body: { shot: which } }
    void attempt(async () => void (await content(api.POST('/api/projects/{project}/cuts', asked))))
  }

  /** Something new on a layer of its own, chosen when it is there. */
  async function put(kind: 'title' | 'solid' | 'clip', medium: string | null = null) {
    const over = kind === 'solid' ? (itemId.value ?? shot.value?.id ?? null) : null
    const well = await sent(async (project, seen) => {
      const body = { seen, kind, medium, start: frame.value, text: 'Title', over }
      const asked = { params: { path: { project } }, body }
      return (await content(api.POST('/api/projects/{project}/items', asked))) as ProjectState
    })
    const fresh = itemsOf(document.value).find((one) => created.value.includes(one.id))
    if (well && fresh) {
      itemId.value = fresh.id
      below.value = 'layers'
    }
  }

  /** Set the present shot up so that something lies behind the selected region, and show the layers that came of it. */
  async function setUp(what: SetUp, medium: string | null = null) {
    const [which, of] = [shot.value?.id, regionId.value]
    if (!which || !of) return
    const well = await sent(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen, shot: which, region: of, what, medium } }
      return (await content(api.POST('/api/projects/{project}/behind', asked))) as ProjectState
    })
    if (!well) return
    const fresh = itemsOf(document.value).filter((one) => created.value.includes(one.id))
    const camera = createdMotion(shotsOf(document.value).find((one) => one.id === which))
    if (camera) follow({ motion: camera.id }, 'both')
    itemId.value = (fresh.find((one) => one.kind !== 'shot') ?? fresh[0])?.id ?? which
    below.value = 'layers'
  }

  /** Change the chosen item of the layers; without `meant` only to see what it would be like. */
  function editItem(label: string, to: (item: Item) => void, meant = true, which = itemId.value) {
    const run = (fresh: Project) => {
      const found = itemsOf(fresh).find((one) => one.id === which)
      if (!found) throw new Error('This was taken out in another window.')
      to(found)
    }
    if (meant) return void edit(label, run)
    if (!state.value) return
    const fresh = structuredClone(state.value.document)
    run(fresh)
    trial.value = { patch: compare(state.value.document, fresh) as unknown as Record<string, unknown>[] }
  }

  /** Use a clip of the shelf in the place of one that is gone. */
  function relink(gone: string, to: string) {
    return sent(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen, medium: gone, to } }
      return (await content(api.POST('/api/projects/{project}/relink', asked))) as ProjectState
    })
  }

  /** Show a region of a frame of the piece, as its lane has it. */
  function showRegion(at: number, which: string | null) {
    itemId.value = null
    below.value = 'lanes'
    select(which)
    go(at)
  }

  /** Show the present shot faster, slower or backwards. */
  function pace(speed: number, backwards: boolean) {
    const which = shot.value?.id
    if (!which) return
    void sent(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen, shot: which, speed, backwards } }
      return (await content(api.POST('/api/projects/{project}/pace', asked))) as ProjectState
    })
  }

  function go(to: number) {
    frame.value = Math.min(Math.max(Math.round(to), 0), Math.max(frames.value - 1, 0))
  }

  /** Where a source frame of the present shot is in the piece. */
  function pieceFrame(source: number): number {
    if (!span.value) return 0
    const sources = lanes.value?.sources ?? []
    const back = shot.value?.backwards
    const place = sources.findIndex((one) => (back ? one <= source : one >= source))
    return span.value.start + (place < 0 ? span.value.length - 1 : place)
  }

  let shown: { among: unknown; index: number } | null = null // the doubt that was gone to last

  /** Go to the next doubt of the shot, or to the one before; several may lie on one frame. */
  function goDoubt(step: 1 | -1) {
    const [all, here] = [doubts.value, sourceFrame.value]
    let index = step > 0 ? all.findIndex((one) => one.frame >= here) : all.findLastIndex((one) => one.frame <= here)
    if (shown?.among === all && all[shown.index]?.frame === here) index = shown.index + step
    const next = all[index]
    if (!next) {
      say().message.info(doubts.value.length ? 'No further doubt in this direction.' : 'No doubts in this shot.')
      return
    }
    shown = { among: all, index }
    select(next.region)
    go(pieceFrame(next.frame))
    say().message.warning(`${region.value?.name ?? 'Region'}: ${next.reason}`)
  }

  /** How a part lies on the present frame in its own space. */
  function poseOf(shape: Shape): Pose {
    return (held.value?.part === shape.id && held.value.pose) || poseAt(shape, sourceFrame.value)
  }

  /** The points of a path or the corners of a rectangle on the present frame, in its unit square. */
  function pointsOf(shape: Shape): OutlinePoint[] | null {
    if (held.value?.part === shape.id && held.value.points) return held.value.points
    const outline = outlineOf(shape)
    return outline && pointsAt(outline, sourceFrame.value)
  }

  /** What carries things of a motion to the present frame. */
  function carrierOf(which: string | null | undefined): Matrix {
    const known = which ? carried.value[which] : undefined
    if (!known?.matrices.length) return IDENTITY
    // Until the stretch around the frame has come, the nearest frame that is known.
    const place = Math.min(Math.max(sourceFrame.value - known.first, 0), known.matrices.length - 1)
    return known.matrices[place]
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
  watch([() => state.value?.revision, () => shot.value?.id, results, () => stretch()], () => void refresh())

  /** Where the stretch of frames begins for which it is known what motions do. */
  function stretch(): number {
    return Math.max((Math.floor(sourceFrame.value / STRETCH) - 1) * STRETCH, 0)
  }

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
      const [fresh, ...moved] = await Promise.all([
        content(api.GET('/api/projects/{project}/lanes/{shot}', { params: { path } })),
        ...where.motions.map((one) =>
          content(
            api.GET('/api/projects/{project}/carried/{shot}/{motion}', {
              params: { path: { ...path, motion: one.id }, query: { first: stretch(), count: 3 * STRETCH } },
            }),
          ),
        ),
      ])
      if (id.value !== project) return
      lanes.value = fresh as Lanes
      carried.value = Object.fromEntries((moved as Carried[]).map((one) => [one.motion, one]))
      if (!dragging.value) held.value = null
    } catch {
      // The project has changed meanwhile; the news about it brings the next attempt.
    }
  }

  return {
    id,
    state,
    created,
    saving,
    missing,
    lanes,
    carried,
    results,
    timecodes,
    frame,
    regionId,
    partId,
    motionId,
    chosen,
    view,
    plain,
    before,
    aside,
    stills,
    still,
    below,
    closing,
    choosing,
    itemId,
    item,
    reading,
    tool,
    model,
    grid,
    everywhere,
    keyInHand,
    playing,
    trial,
    dragging,
    held,
    document,
    rate,
    frames,
    span,
    shot,
    region,
    selected,
    part,
    cutOut,
    motion,
    sourceFrame,
    medium,
    doubts,
    open,
    edit,
    editRegion,
    editPart,
    editMotion,
    tryRegion,
    step,
    change,
    addShape,
    selectCreated,
    createdMotion,
    select,
    place,
    reshape,
    tryOut,
    sent,
    follow,
    forget,
    readFile,
    addShot,
    arrange,
    put,
    splitAtCuts,
    setUp,
    editItem,
    pace,
    go,
    relink,
    showRegion,
    pieceFrame,
    goDoubt,
    poseOf,
    pointsOf,
    carrierOf,
  }
})
