// What a kind of part that is not drawn has on the card. Each is a module of this folder, found by `cards`.
import type { Component } from 'vue'

export interface PartCard {
  kind: string
  label: string // in "One more: ..."
  order: number
  title?: string
  fields?: Component // of the selected part
  /** Begin one more of them in a region; `clip` is the one that was chosen, where it takes one. */
  begin(region: string, clip: { id: string; name: string } | null): void
  takesClip?: boolean
}
