// Menus, sheets and panels that lie over a screen: Escape closes them, and nothing beneath them.
const OPEN = [
  '.n-dropdown-menu',
  '.n-base-select-menu',
  '.n-popover:not(.n-tooltip)',
  '.n-color-picker-panel',
  '.n-modal',
  '.n-dialog',
].join(', ')

/** The uppermost one that is open. */
function uppermost(): HTMLElement | null {
  const open = [...document.querySelectorAll<HTMLElement>(OPEN)].filter(
    (one) => one.offsetParent !== null || one.getClientRects().length,
  )
  return open.at(-1) ?? null
}

/** Keep Escape to what lies uppermost; those that know nothing of the key are closed as by a press beside them. */
export function keepEscape() {
  window.addEventListener(
    'keydown',
    (event) => {
      if (event.key !== 'Escape') return
      const over = uppermost()
      if (!over) return
      // The components close on their own listeners, which lie on the document; the screens listen on the window.
      window.addEventListener('keydown', (late) => late.stopImmediatePropagation(), { capture: false, once: true })
      if (over.matches('.n-popover:not(.n-dropdown-menu), .n-color-picker-panel'))
        for (const kind of ['mousedown', 'mouseup'])
          document.body.dispatchEvent(new MouseEvent(kind, { bubbles: true }))
    },
    { capture: true },
  )
}
