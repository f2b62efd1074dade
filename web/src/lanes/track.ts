/** Follow the pointer from a press on lanes or layers until it is let go. */
export function track(event: PointerEvent, move: (now: PointerEvent) => void, end: () => void = () => undefined) {
  event.preventDefault()
  window.addEventListener('pointermove', move)
  window.addEventListener(
    'pointerup',
    () => {
      window.removeEventListener('pointermove', move)
      end()
    },
    { once: true },
  )
}
