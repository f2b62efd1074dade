// Following the pointer from a press until it is let go.
import { useSession } from '../state/session'

const SLIP = 2 // screen pixels that a press may move without being a drag

export function drag(event: PointerEvent, move: (now: PointerEvent) => void, end: (moved: boolean) => void) {
  const session = useSession()
  event.preventDefault()
  event.stopPropagation()
  let moved = false
  const onMove = (now: PointerEvent) => {
    moved ||= Math.hypot(now.clientX - event.clientX, now.clientY - event.clientY) > SLIP
    if (moved) move(now)
  }
  const onEnd = () => {
    window.removeEventListener('pointermove', onMove)
    window.removeEventListener('pointerup', onEnd)
    window.removeEventListener('pointercancel', onEnd)
    session.dragging = false
    end(moved)
  }
  session.dragging = true
  window.addEventListener('pointermove', onMove)
  window.addEventListener('pointerup', onEnd)
  window.addEventListener('pointercancel', onEnd)
}
