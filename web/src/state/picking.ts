// Ranges of colours: picking on the picture, and what the present frame has of each hue, saturation and brightness.
import { defineStore } from 'pinia'
import { computed, shallowRef, watch } from 'vue'
import { api, content } from '../api/client'
import type { Colours, Distribution, ProjectState } from '../api/types'
import type { Point } from '../viewer/mapping'
import { useStores } from './stores'

export const usePicking = defineStore('picking', () => {
  const { session, selection, lanes, view, tools, commands } = useStores()
  const colours = computed<Colours | null>(() => (selection.part?.kind === 'colours' ? selection.part : null))
  const seen = shallowRef<Distribution | null>(null) // of the present frame
  let asks = 0

  watch(
    () => [colours.value?.id, lanes.sourceFrame, view.playing] as const,
    async ([of, frame, playing]) => {
      const [project, shot] = [session.id, selection.shot?.id]
      if (!of || playing || !project || !shot) return
      const turn = (asks += 1)
      const asked = { params: { path: { project, shot }, query: { frame } } }
      const { data } = await api.GET('/api/projects/{project}/colours/{shot}/distribution', asked)
      if (turn === asks) seen.value = data ?? null
    },
    { immediate: true },
  )

  /** Take the picker: for the selected range, or for a new one; in a region that has parts it keeps what both cover. */
  function take(include: boolean, fresh: { into: string | null } | null = null) {
    tools.take({ draw: 'pick', include, part: fresh ? null : (colours.value?.id ?? null), into: fresh?.into ?? null })
  }

  /** A place was clicked, or a box dragged over it. */
  async function pick(from: Point, to: Point) {
    const [shot, tool] = [selection.shot, tools.held('pick')]
    if (!shot || !tool) return
    const body = {
      shot: shot.id,
      frame: lanes.sourceFrame,
      box: [from.x, from.y, to.x, to.y] as [number, number, number, number],
      include: tool.include,
      part: tool.part,
      region: tool.into,
      how: tool.into ? ('intersect' as const) : ('add' as const),
    }
    const well = await session.send(async (project, seen) => {
      const asked = { params: { path: { project } }, body: { ...body, seen } }
      return (await content(api.POST('/api/projects/{project}/colours/pick', asked))) as ProjectState
    })
    const made = well && !tool.part ? selection.selectCreated() : undefined
    if (made) tools.used(made.id)
  }

  function change(label: string, what: (one: Colours) => void, meant = true) {
    commands.editPart(label, (one) => what(one as Colours), meant)
  }

  function tell(by: Colours['by']) {
    const part = colours.value?.id
    if (part) void commands.change((shot) => ({ do: 'tell colours', shot, part, by }))
  }

  return { colours, seen, take, pick, change, tell }
})
