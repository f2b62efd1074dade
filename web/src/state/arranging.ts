// Arranging what lies on layers: splitting, trimming, moving, putting something new, setting a shot up.
import { defineStore } from 'pinia'
import { nextTick, ref } from 'vue'
import { api, content } from '../api/client'
import type { ArrangeRequest, Arranging, Item, Project, ProjectState, SetUp } from '../api/types'
import { useCommands } from './commands'
import { attempt } from './say'
import { useSelection } from './selection'
import { useSession } from './session'
import { itemsOf, shotsOf } from './shots'
import { useView } from './view'

export const useArranging = defineStore('arranging', () => {
  const session = useSession()
  const selection = useSelection()
  const view = useView()
  const commands = useCommands()
  const closing = ref(true) // gaps that an arrangement leaves on a layer

  function addShot(medium: string) {
    return session.send(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen, medium } }
      return (await content(api.POST('/api/projects/{project}/shots', asked))) as ProjectState
    })
  }

  /** Split, trim, move, copy, hold or take out something on a layer, else the present shot. */
  function arrange(what: Arranging, more: Partial<ArrangeRequest> = {}) {
    const chosen = view.below === 'layers' ? selection.itemId : null
    const which = more.shot ?? chosen ?? selection.shot?.id
    if (!which) return
    const [at, bare] = [selection.frame, selection.region === null]
    void session
      .send(async (project, seen) => {
        const body = { close: closing.value, layer: 0, length: Math.round(session.rate), frame: at, by: 0, ...more }
        const asked = { params: { path: { project } }, body: { ...body, seen, shot: which, do: what } }
        return (await content(api.POST('/api/projects/{project}/arrange', asked))) as ProjectState
      })
      .then((well) => {
        if (!well) return
        // The same picture stays in sight where it can.
        const moved = session.state?.spans.find((one) => one.shot === which)
        const follows = what === 'begin' || what === 'earlier' || what === 'later'
        selection.go(moved && follows ? moved.start : selection.frame)
        // The shot's own card stays, where it was in sight.
        if (bare) void nextTick(() => selection.select(null))
      })
  }

  /** Find the cuts in the present shot and split it there, in the background. */
  function splitAtCuts() {
    const [project, shot] = [session.id, selection.shot?.id]
    if (!project || !shot) return
    const asked = { params: { path: { project } }, body: { shot } }
    void attempt(async () => void (await content(api.POST('/api/projects/{project}/cuts', asked))))
  }

  /** Show the present shot faster, slower or backwards. */
  function pace(speed: number, backwards: boolean) {
    const shot = selection.shot?.id
    if (!shot) return
    void session.send(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen, shot, speed, backwards } }
      return (await content(api.POST('/api/projects/{project}/pace', asked))) as ProjectState
    })
  }

  /** Something new on a layer of its own, chosen when it is there. */
  async function put(kind: 'title' | 'solid' | 'clip', medium: string | null = null) {
    const over = kind === 'solid' ? (selection.itemId ?? selection.shot?.id ?? null) : null
    const well = await session.send(async (project, seen) => {
      const body = { seen, kind, medium, start: selection.frame, text: 'Title', over }
      const asked = { params: { path: { project } }, body }
      return (await content(api.POST('/api/projects/{project}/items', asked))) as ProjectState
    })
    const [fresh] = made()
    if (well && fresh) choose(fresh.id)
  }

  /** Set the present shot up so that something lies behind the selected region, and show the layers that came of it. */
  async function setUp(what: SetUp, medium: string | null = null) {
    const [shot, region] = [selection.shot?.id, selection.regionId]
    if (!shot || !region) return
    const well = await session.send(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen, shot, region, what, medium } }
      return (await content(api.POST('/api/projects/{project}/behind', asked))) as ProjectState
    })
    if (!well) return
    const fresh = made()
    const motions = shotsOf(session.document).find((one) => one.id === shot)?.motions ?? []
    const camera = motions.find((one) => session.created.includes(one.id))
    if (camera) commands.follow({ motion: camera.id }, 'both')
    choose((fresh.find((one) => one.kind !== 'shot') ?? fresh[0])?.id ?? shot)
  }

  /** Change the chosen item of the layers; without `meant` only to see what it would be like. */
  function editItem(label: string, to: (item: Item) => void, meant = true, which = selection.itemId) {
    const run = (document: Project) => {
      const found = itemsOf(document).find((one) => one.id === which)
      if (!found) throw new Error('This was taken out in another window.')
      to(found)
    }
    if (meant) void session.edit(label, run)
    else session.tryOut(run)
  }

  const made = () => itemsOf(session.document).filter((one) => session.created.includes(one.id))

  function choose(item: string) {
    selection.itemId = item
    view.below = 'layers'
  }

  return { closing, addShot, arrange, splitAtCuts, pace, put, setUp, editItem }
})
