// The project that is open: its document as the server has it, and every edit of it.
import { compare } from 'fast-json-patch'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { api, content, Refused } from '../api/client'
import { listen } from '../api/news'
import type { Edit, OutlinePoint, Pose, Project, ProjectState, Trial } from '../api/types'
import { framesPerSecond } from './numbers'
import { editQueue } from './queue'
import { attempt, say } from './say'
import { useShelf } from './shelf'

type Patch = Record<string, unknown>[]
/** Asks the server for an edit of a project as it was `seen`; null where there is nothing to ask for. */
export type Run = (project: string, seen: number, document: Project) => Promise<ProjectState | null>

export const useSession = defineStore('session', () => {
  const shelf = useShelf()
  const id = ref<string | null>(null)
  const state = shallowRef<ProjectState | null>(null)
  const missing = ref<string | null>(null)
  const created = shallowRef<string[]>([]) // ids of what the last edit made
  const saving = ref(0) // edits that the server does not have yet
  const dragging = ref(false)
  // What a drag would do, for the picture; and what it has done to a shape, in its own space, until the answer comes.
  const trial = shallowRef<Trial | null>(null)
  const held = shallowRef<{ part: string; pose?: Pose; points?: OutlinePoint[] } | null>(null)

  const document = computed(() => state.value?.document ?? null)
  const rate = computed(() => framesPerSecond(document.value?.rate ?? '25/1'))
  const frames = computed(() => state.value?.frames ?? 0)

  listen((news) => {
    if (!id.value) return
    if (news.kind === 'project' && news.id === id.value && news.revision > (state.value?.revision ?? -1)) void reload()
    if (news.kind === 'back') void reload()
  })

  async function open(project: string) {
    if (id.value !== project) {
      state.value = missing.value = null
      id.value = project
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

  /** Whether nothing is on its way that an answer to what was asked before must not take back on the screen. */
  function settled(): boolean {
    return !dragging.value && saving.value <= 1
  }

  function take(fresh: ProjectState) {
    state.value = fresh
    if (settled()) trial.value = null
  }

  const queue = editQueue((error) => error instanceof Refused && error.status === 409, reload)

  /** Ask the server for an edit; it may be asked again on a newer document, so everything is looked up by id. */
  function send(run: Run): Promise<boolean> {
    saving.value += 1
    return attempt(() =>
      queue.put(async () => {
        if (!id.value || !state.value) return
        try {
          const fresh = await run(id.value, state.value.revision, state.value.document)
          created.value = fresh?.created ?? []
          if (fresh) take(fresh)
          else if (settled()) trial.value = held.value = null
        } catch (error) {
          trial.value = held.value = null
          throw error
        }
      }),
    ).finally(() => (saving.value -= 1))
  }

  /** Change the document by hand, without rules of the job. */
  function edit(label: string, change: (document: Project) => void): Promise<boolean> {
    return send(async (project, seen, old) => {
      const patch = patchOf(old, change)
      if (!patch.length) return null
      const asked = api.POST('/api/projects/{project}/edits', {
        params: { path: { project } },
        body: { seen, label, patch },
      })
      return (await content(asked)) as ProjectState
    })
  }

  /** Change the document by the rules of the job. */
  function command(wish: Edit): Promise<boolean> {
    return send(async (project, seen) => {
      const asked = api.POST('/api/projects/{project}/changes', {
        params: { path: { project } },
        body: { seen, edit: wish },
      })
      return (await content(asked)) as ProjectState
    })
  }

  /** Show what a change would be like. */
  function tryOut(change: (document: Project) => void) {
    if (state.value) trial.value = { patch: patchOf(state.value.document, change) }
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
    }).then((well) => well && say().message.info(`${way === 'undo' ? 'Undone' : 'Redone'}: ${label}`))
  }

  /** Use a clip of the shelf in the place of one that is gone. */
  function relink(gone: string, to: string) {
    return send(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { seen, medium: gone, to } }
      return (await content(api.POST('/api/projects/{project}/relink', asked))) as ProjectState
    })
  }

  // prettier-ignore
  return {
    id, state, missing, created, saving, dragging, trial, held,
    document, rate, frames,
    open, send, edit, command, tryOut, step, relink,
  }
})

function patchOf(old: Project, change: (document: Project) => void): Patch {
  const fresh = structuredClone(old)
  change(fresh)
  return compare(old, fresh) as unknown as Patch
}
