// The tool in hand: what a press on the picture does, and how it changes.
import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import type { Kind, Recipe } from '../api/types'

/** Draw a shape (into a region, or a new one), an area, a face; put a tracker or a recipe; pick colours; draw a stroke. */
export type Tool =
  | { draw: Kind; into: string | null }
  | { draw: 'area' }
  | { draw: 'face'; track: string }
  | { draw: 'spot'; recipe: Recipe }
  | { draw: 'tracker'; motion: string | null }
  | { draw: 'pick'; include: boolean; part: string | null; into: string | null }
  | { draw: 'stroke'; include: boolean; part: string | null; into: string | null }
type Draw = Tool['draw']
export type ToolOf<D extends Draw> = Extract<Tool, { draw: D }>

/** Tools that stay in hand after a press: the others are for one thing. */
const LASTING: Draw[] = ['pick', 'stroke']

/** The tool after its press has made a part, which it goes on with where it lasts. */
export function afterwards(tool: Tool | null, made: string | null = null): Tool | null {
  if (!tool || !LASTING.includes(tool.draw)) return null
  return 'part' in tool && made ? { ...tool, part: made, into: null } : tool
}

/** The tool after it was asked for: the same one is laid down again, another takes its place. */
export function toggled(tool: Tool | null, wanted: Tool): Tool | null {
  return tool?.draw === wanted.draw ? null : wanted
}

export const useTool = defineStore('tool', () => {
  const inHand = shallowRef<Tool | null>(null)
  const draw = computed(() => inHand.value?.draw ?? null)

  function take(tool: Tool) {
    inHand.value = tool
  }
  function toggle(tool: Tool) {
    inHand.value = toggled(inHand.value, tool)
  }
  function layDown() {
    inHand.value = null
  }
  /** A press of the tool is done; `made` is the part that came of it. */
  function used(made: string | null = null) {
    inHand.value = afterwards(inHand.value, made)
  }
  /** The tool in hand, where it is such a one. */
  function held<D extends Draw>(which: D): ToolOf<D> | null {
    return inHand.value?.draw === which ? (inHand.value as ToolOf<D>) : null
  }

  return { inHand, draw, take, toggle, layDown, used, held }
})
