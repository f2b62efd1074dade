// What lies on the layers of a project.
import type { Item, Project, Shot } from '../api/types'

export const isShot = (item: Item): item is Shot => item.kind === 'shot'

export function itemsOf(document: Project | null | undefined): Item[] {
  return (document?.layers ?? []).flatMap((layer) => layer.items)
}

export function shotsOf(document: Project | null | undefined): Shot[] {
  return itemsOf(document).filter(isShot)
}
