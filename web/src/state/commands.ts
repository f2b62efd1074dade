// Edits of regions, parts and motions by the rules of the job.
import { defineStore } from 'pinia'
import { ref, watch } from 'vue'
import { api, content } from '../api/client'
import type { Edit, Model, Motion, OutlinePoint, Part, Pose, Project, ProjectState, Region, Shape } from '../api/types'
import { useAround } from './around'
import { useLanes } from './lanes'
import { attempt } from './say'
import { useSelection } from './selection'
import { useSession } from './session'
import { shotsOf } from './shots'
import { useTool } from './tool'
import { useWork } from './work'

export type Way = 'both' | 'forwards' | 'backwards' | 'next' | 'previous'

export const useCommands = defineStore('commands', () => {
  const session = useSession()
  const selection = useSelection()
  const lanes = useLanes()
  const tool = useTool()
  const work = useWork()
  const around = useAround()
  const model = ref<Model>('similarity') // for motions to come
  const everywhere = ref(false) // a followed shape is changed on all frames, not on the present one

  watch(() => session.id, tool.layDown, { flush: 'sync' })

  /** An edit of the present shot by the rules of the job. */
  function change(make: (shot: string, frame: number) => Edit): Promise<boolean> {
    const where = selection.shot?.id
    if (!where) return Promise.resolve(false)
    return session.command(make(where, lanes.sourceFrame))
  }

  /** Change the selected region, or another one of the shot. */
  function editRegion(label: string, to: (region: Region) => void, which = selection.regionId): Promise<boolean> {
    const where = selection.shot?.id
    return session.edit(label, (document) => {
      const found = regionOf(document, where, which)
      if (!found) throw new Error('This region was deleted in another window.')
      to(found)
    })
  }

  /** See what a change of the selected region would be like. */
  function tryRegion(to: (region: Region) => void) {
    session.tryOut((document) => {
      const found = regionOf(document, selection.shot?.id, selection.regionId)
      if (found) to(found)
    })
  }

  /** Change the selected part, or another one of the region; without `meant` only to see what it would be like. */
  function editPart(label: string, to: (part: Part) => void, meant = true, which = selection.part?.id) {
    const run = (one: Region) => {
      const found = one.parts.find((each) => each.id === which)
      if (found) to(found)
    }
    if (meant) return editRegion(label, run)
    tryRegion(run)
    return Promise.resolve(true)
  }

  /** Change a motion of the shot. */
  function editMotion(label: string, which: string, to: (motion: Motion) => void): Promise<boolean> {
    const where = selection.shot?.id
    return session.edit(label, (document) => {
      const shot = shotsOf(document).find((one) => one.id === where)
      const found = shot?.motions.find((one) => one.id === which)
      if (!found) throw new Error('This motion was deleted in another window.')
      to(found)
    })
  }

  /**
   * A drawn or copied shape becomes a region of its own, or a part of one, and is selected. `matrix` is what carried
   * a copy where it was seen in another shot.
   */
  async function addShape(fresh: Omit<Part, 'id'>, into: string | null, matrix: number[][] | null = null) {
    tool.used()
    const part = (around.view ? { view: around.view, ...fresh } : fresh) as Part
    const well = await change((shot, frame) =>
      into
        ? { do: 'add part', shot, region: into, frame, part, matrix }
        : { do: 'new region', shot, frame, part, matrix },
    )
    if (well) selection.selectCreated()
  }

  function place(shape: Shape, pose: Pose, what: string) {
    session.held = { part: shape.id, pose }
    void change((shot, frame) => placing(shot, frame, shape, pose, what))
  }

  function reshape(shape: Shape, points: OutlinePoint[]) {
    session.held = { part: shape.id, points }
    void change((shot, frame) => ({ do: 'reshape', shot, part: shape.id, frame, points }))
  }

  /** Show where a handle has been dragged to, before it is let go. */
  function tryOut(shape: Shape, to: { pose?: Pose; points?: OutlinePoint[] }) {
    const shot = selection.shot?.id
    if (!shot) return
    session.held = { part: shape.id, ...to }
    if (to.pose) session.trial = { patch: [], edit: placing(shot, lanes.sourceFrame, shape, to.pose, 'Move shape') }
    else if (to.points)
      session.trial = {
        patch: [],
        edit: { do: 'reshape', shot, part: shape.id, frame: lanes.sourceFrame, points: to.points },
      }
  }

  function placing(shot: string, frame: number, shape: Shape, pose: Pose, what: string): Edit {
    const all = everywhere.value && !!shape.attached_to
    return { do: 'place', shot, part: shape.id, frame, pose, what, everywhere: all }
  }

  function follow(what: { part?: string; motion?: string }, way: Way, stretch?: [number, number], again = false) {
    const shot = selection.shot?.id
    if (!shot) return
    const frame = lanes.sourceFrame
    void work.begins((took) =>
      session.send(async (project, seen) => {
        const body = { seen, shot, frame, way, span: stretch ?? null, model: model.value, again, ...what }
        const asked = api.POST('/api/projects/{project}/follow', { params: { path: { project } }, body })
        const answer = await content(asked)
        took(answer.work)
        return answer.state as ProjectState
      }),
    )
  }

  /** Forget what was followed on the frames of a span. */
  async function forget(motion: string, first: number, last: number) {
    const [project, shot] = [session.id, selection.shot?.id]
    if (!project || !shot) return
    const asked = { params: { path: { project, motion } }, body: { shot, first, last } }
    await attempt(() => content(api.POST('/api/projects/{project}/motions/{motion}/clear', asked)))
    lanes.results += 1
  }

  /** Bring in a motion or shapes from an open file. */
  async function readFile(file: File): Promise<boolean> {
    const shot = selection.shot?.id
    if (!shot) return false
    const text = await file.text()
    return session.send(async (project, seen) => {
      const body = { seen, shot, frame: lanes.sourceFrame, name: file.name, text }
      const asked = api.POST('/api/projects/{project}/bring', { params: { path: { project } }, body })
      return (await content(asked)) as ProjectState
    })
  }

  // prettier-ignore
  return {
    model, everywhere,
    change, editRegion, tryRegion, editPart, editMotion,
    addShape, place, reshape, tryOut, follow, forget, readFile,
  }
})

function regionOf(document: Project, shot: string | undefined, which: string | null): Region | undefined {
  return shotsOf(document)
    .find((one) => one.id === shot)
    ?.regions.find((one) => one.id === which)
}
