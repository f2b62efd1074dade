// What is known of every frame of the present shot: the lanes, what motions do, and the source frame that is shown.
import { until } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { Carried, Lanes, OutlinePoint, Pose, Shape } from '../api/types'
import { IDENTITY, multiplied, type Matrix } from '../viewer/geometry'
import { useAround } from './around'
import { useFilm } from './film'
import { outlineOf, pointsAt, poseAt } from './numbers'
import { say } from './say'
import { useSelection } from './selection'
import { useSession } from './session'
import { frameOf, sourceAt } from './sources'

const STRETCH = 1000 // frames

export const useLanes = defineStore('lanes', () => {
  const session = useSession()
  const selection = useSelection()
  const around = useAround()
  const film = useFilm()
  const of = shallowRef<Lanes | null>(null) // of the present shot
  const carried = shallowRef<Record<string, Carried>>({})
  const results = ref(0) // grows when something computed has changed

  const sourceFrame = computed(() => {
    const { span, shot, frame } = selection
    if (!span || !shot) return 0
    const known = of.value?.shot === shot.id ? sourceAt(of.value.sources, frame - span.start) : undefined
    return known ?? shot.first + frame - span.start
  })
  const doubts = computed(() => {
    const all = of.value?.regions.flatMap((one) => one.doubts) ?? []
    return all.sort((a, b) => a.frame - b.frame)
  })

  listen((news) => {
    if (!session.id || news.kind !== 'work' || news.work?.project !== session.id) return
    if (news.work.kind !== 'render') results.value += 1
  })
  watch(
    () => session.id,
    () => {
      of.value = null
      carried.value = {}
    },
    { flush: 'sync' },
  )

  /** Where a source frame of the present shot is in the piece. */
  function sequenceFrame(source: number): number {
    const { span, shot } = selection
    if (!span) return 0
    const place = frameOf(of.value?.sources ?? [], source, shot?.backwards)
    return span.start + (place < 0 ? span.length - 1 : place)
  }

  let shown: { among: unknown; index: number } | null = null // the doubt that was gone to last

  /** Go to the next doubt, or to the one before; several may lie on one frame, and it goes on into the next shot. */
  function goDoubt(step: 1 | -1) {
    const [all, here] = [doubts.value, sourceFrame.value]
    let index = step > 0 ? all.findIndex((one) => one.frame >= here) : all.findLastIndex((one) => one.frame <= here)
    if (shown?.among === all && all[shown.index]?.frame === here) index = shown.index + step
    if (all[index]) show(all, index)
    else void goOn(step)
  }

  function show(all: typeof doubts.value, index: number) {
    const doubt = all[index]
    shown = { among: all, index }
    selection.select(doubt.region)
    selection.go(sequenceFrame(doubt.frame))
    say().message.warning(`${selection.region?.name ?? 'Region'}: ${doubt.reason}`)
  }

  /** Go to the first doubt of the next shot that has any, or to the last one of a shot before. */
  async function goOn(step: 1 | -1) {
    const start = selection.span?.start ?? 0
    await film.load()
    const lines = (film.shots ?? []).filter((one) => one.doubts && (step > 0 ? one.start > start : one.start < start))
    const next = step > 0 ? lines[0] : lines[lines.length - 1]
    if (!next) return void say().message.info('No further doubt in this direction.')
    selection.itemId = next.shot
    selection.go(next.start)
    await until(of).toMatch((known) => known?.shot === next.shot)
    const all = doubts.value
    if (all.length) show(all, step > 0 ? 0 : all.length - 1)
  }

  /** How a part lies on the present frame in its own space. */
  function poseOf(shape: Shape): Pose {
    return (session.held?.part === shape.id && session.held.pose) || poseAt(shape, sourceFrame.value)
  }

  /** The points of a path or the corners of a rectangle on the present frame, in its unit square. */
  function pointsOf(shape: Shape): OutlinePoint[] | null {
    if (session.held?.part === shape.id && session.held.points) return session.held.points
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

  /** What carries a shape to where it is seen on the present frame, also where one looks around. */
  function seenBy(shape: Shape | undefined | null): Matrix {
    return multiplied(around.turned(shape?.view), carrierOf(shape?.attached_to))
  }

  // Lanes and poses follow the document and what is computed; asked for once at a time, and again for the last news.
  let asking = false
  let askAgain = false
  watch([() => session.state?.revision, () => selection.shot?.id, results, () => stretch()], () => void refresh())

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
    const [project, where] = [session.id, selection.shot]
    if (!project || !where) {
      of.value = null
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
      if (session.id !== project) return
      of.value = fresh as Lanes
      carried.value = Object.fromEntries((moved as Carried[]).map((one) => [one.motion, one]))
      if (!session.dragging && !session.saving) session.held = null
    } catch {
      // The project has changed meanwhile; the news about it brings the next attempt.
    }
  }

  return { of, carried, results, sourceFrame, doubts, sequenceFrame, goDoubt, poseOf, pointsOf, carrierOf, seenBy }
})
