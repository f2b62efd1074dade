// What a kind of part that is not drawn has on the card. Each is a module of this folder, found by its index.
import type { Component } from 'vue'

export interface PartCard {
  kind: string
  label: string // on the button that begins one more in a region
  order: number
  title?: string
  fields?: Component // of the selected part
  more?: string // that it says among what else can be begun, for a region of its own
  /** Begin one of them in a region, or in one of its own; `clip` is the one that was chosen, where it takes one. */
  begin(region: string | null, clip: { id: string; name: string } | null): void
  takesClip?: boolean
}
