// The cards of kinds of parts, in the order in which they are offered.
import type { PartCard } from './card'

const modules = import.meta.glob<{ default?: PartCard }>('./*.ts', { eager: true })
export const CARDS: PartCard[] = Object.values(modules)
  .flatMap((module) => module.default ?? [])
  .sort((a, b) => a.order - b.order)

export function cardOf(kind: string | undefined): PartCard | undefined {
  return CARDS.find((one) => one.kind === kind)
}
