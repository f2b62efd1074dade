// Menus, sheets and panels that lie over a screen: Escape closes them, and nothing beneath them.
const OPEN = [
  '.n-dropdown-menu',
  '.n-base-select-menu',
  '.n-popover:not(.n-tooltip)',
  '.n-color-picker-panel',
  '.n-modal',
  '.n-dialog',
].join(', ')

const kept = new WeakSet<KeyboardEvent>()

/** Whether a press of Escape belongs to what lies over the screen. */
export const isKept = (event: KeyboardEvent) => kept.has(event)

/** The uppermost one that is open. */
function uppermost(): HTMLElement | null {
  const open = [...document.querySelectorAll<HTMLElement>(OPEN)].filter(
    (one) => one.offsetParent !== null || one.getClientRects().length,
  )
  return open.at(-1) ?? null
}

/** Keep Escape to what lies uppermost, before the screens hear of it; those that know nothing of the key are closed as by a press beside them. */
export function keepEscape() {
  window.addEventListener(
    'keydown',
    (event) => {
      if (event.key !== 'Escape') return
      const over = uppermost()
      if (!over) return
      kept.add(event)
      if (over.matches('.n-popover:not(.n-dropdown-menu), .n-color-picker-panel'))
        for (const kind of ['mousedown', 'mouseup'])
          document.body.dispatchEvent(new MouseEvent(kind, { bubbles: true }))
    },
    { capture: true },
  )
}
