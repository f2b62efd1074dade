// Cut-outs: drawing strokes, what lies under the pointer, and propagating.
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, content } from '../api/client'
import type { ProjectState, Sort } from '../api/types'
import type { Point } from '../viewer/mapping'
import { Latest } from '../viewer/latest'
import { type Way } from './commands'
import { newId } from './numbers'
import { useWork } from './work'
import { useStores } from './stores'

const ROUND = 10 // of a source pixel, to which strokes are kept

export const useCutting = defineStore('cutting', () => {
  const { session, selection, lanes, tools, commands } = useStores()
  const work = useWork()
  const shown = ref(true) // the strokes, on the picture
  const sort = ref<Sort | null>(null) // for cut-outs to come
  const comparing = ref(false) // whether what was there before the last stroke is outlined
  const before = shallowRef<Point[][]>([]) // its outlines
  const proposal = shallowRef<Point[][]>([]) // outlines of what a click would cut out
  // Strokes whose answer has not come: they stay on the picture until the document has them.
  const pending = shallowRef<{ id: string; shot: string; frame: number; points: Point[]; include: boolean }[]>([])
  const answering = computed(() => pending.value.length)
  let afterwards: Way | null = null // propagation that was asked for while a stroke was on its way

  /** Take the pencil: for the selected cut-out, a further one of a region, or one in a region of its own. */
  function take(include: boolean, fresh: { into: string | null } | null = null) {
    if (!selection.shot) return
    const part = fresh ? null : (selection.cutOut?.id ?? null)
    tools.take({ draw: 'stroke', include, part, into: fresh?.into ?? null })
    const [project, shot] = [session.id, selection.shot.id]
    const body = { shot, frame: lanes.sourceFrame, spot: [0, 0] as [number, number] }
    // The frame is made ready meanwhile; if that fails the first stroke takes a little longer.
    if (project) void api.POST('/api/projects/{project}/cut-outs/look', { params: { path: { project } }, body })
  }

  const proposals = new Latest<Point | null>(async (at) => {
    const [project, shot] = [session.id, selection.shot?.id]
    if (!at || !project || !shot) return
    const body = { shot, frame: lanes.sourceFrame, spot: [at.x, at.y] as [number, number] }
    const asked = { params: { path: { project } }, body }
    const { data } = await api.POST('/api/projects/{project}/cut-outs/propose', asked)
    const stroke = tools.held('stroke')
    if (stroke && !stroke.part) proposal.value = data?.outlines.map((one) => one.map(([x, y]) => ({ x, y }))) ?? []
  })

  watch([() => tools.inHand, () => selection.frame], () => (proposal.value = []))

  const befores = new Latest<{ shot: string; part: string; frame: number }>(async (body) => {
    if (!session.id) return
    const asked = { params: { path: { project: session.id } }, body }
    const { data } = await api.POST('/api/projects/{project}/cut-outs/before', asked)
    if (comparing.value) before.value = data?.outlines.map((one) => one.map(([x, y]) => ({ x, y }))) ?? []
  })
  watch([comparing, () => selection.cutOut, () => selection.frame, () => lanes.results], () => {
    const [shot, part] = [selection.shot?.id, selection.cutOut?.id]
    if (comparing.value && shot && part) befores.want({ shot, part, frame: lanes.sourceFrame })
    else before.value = []
  })

  /** A stroke was drawn, in source pixels; one point is a click. */
  async function draw(points: Point[], width: number, include: boolean) {
    const [shot, tool] = [selection.shot, tools.held('stroke')]
    if (!shot || !tool) return
    const rounded = points.map(({ x, y }): [number, number] => [
      Math.round(x * ROUND) / ROUND,
      Math.round(y * ROUND) / ROUND,
    ])
    const stroke = { frame: lanes.sourceFrame, points: rounded, width, include }
    proposal.value = []
    const mine = { id: newId(), shot: shot.id, frame: lanes.sourceFrame, points, include }
    pending.value = [...pending.value, mine]
    const well = await work.begins((took) =>
      session.send(async (project, seen) => {
        const body = {
          seen,
          shot: shot.id,
          stroke,
          region: tool.into,
          part: tool.part,
          sort: sort.value,
          how: 'add' as const,
        }
        const asked = { params: { path: { project } }, body }
        const answer = await content(api.POST('/api/projects/{project}/cut-outs/strokes', asked))
        took(answer.work)
        return answer.state as ProjectState
      }),
    )
    pending.value = pending.value.filter((one) => one !== mine)
    if (!well) return void (afterwards = null)
    lanes.results += 1
    const made = tool.part ? undefined : selection.selectCreated()
    if (made) tools.used(made.id)
    if (afterwards && !pending.value.length) {
      const way = afterwards
      afterwards = null
      void propagate(way)
    }
  }

  function remove(stroke: string) {
    const part = selection.cutOut?.id
    if (part) void commands.change((shot) => ({ do: 'remove stroke', shot, part, stroke })).then(() => refill())
  }

  /** Do what is missing of the frames that the cut-out covers. */
  function refill() {
    const one = selection.cutOut
    if (one && (one.strokes.length || one.sort === 'everyone' || one.sort === 'sky'))
      void propagate('both', [one.span[0], one.span[1]])
  }

  /** Propagate over a span; asked for while a stroke is on its way, it begins when the stroke is there. */
  async function propagate(way: Way, span: [number, number] | null = null) {
    if (pending.value.length) return void (afterwards = way)
    const [shot, part] = [selection.shot?.id, selection.cutOut?.id]
    if (!shot || !part) return
    return work.begins((took) =>
      session.send(async (project, seen) => {
        const body = { seen, shot, part, frame: lanes.sourceFrame, way, span }
        const asked = { params: { path: { project } }, body }
        const answer = await content(api.POST('/api/projects/{project}/cut-outs/propagate', asked))
        took(answer.work)
        return answer.state as ProjectState
      }),
    )
  }

  function lock(on: boolean) {
    const part = selection.cutOut?.id
    if (part) void commands.change((shot, frame) => ({ do: 'lock frame', shot, part, frame, on }))
  }

  return {
    shown,
    comparing,
    before,
    sort,
    proposal,
    pending,
    answering,
    take,
    draw,
    remove,
    propagate,
    refill,
    lock,
    propose: (at: Point) => proposals.want(at),
  }
})
