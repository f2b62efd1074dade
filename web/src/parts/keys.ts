import { isKept } from './overlays'

/** Where the arrow keys lead. */
export const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}

/** Whether a key press belongs to a field, or to what lies over the screen, and not to the screen. */
export function isTyping(event: KeyboardEvent): boolean {
  if (isKept(event)) return true
  const target = event.target
  if (!(target instanceof HTMLElement)) return false
  return (
    target.matches('input:not([type=checkbox]):not([type=range]), textarea, select, [contenteditable=true]') ||
    !!target.closest('.n-modal, .n-dialog')
  )
}
