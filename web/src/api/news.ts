// One socket for everything that changes; it comes back by itself.
import { ref } from 'vue'
import type { Work } from './types'

export type News =
  | { kind: 'work'; id: string; work: Work | null }
  | { kind: 'project'; id: string; revision: number }
  | { kind: 'projects' | 'media' | 'recipes'; id: string }
  | { kind: 'window'; id: string; project: string | null; region: string | null } // another one, and what it has in hand
  | { kind: 'back' }

export type InHand = { project: string | null; region: string | null }
let socket: WebSocket | null = null
let inHand: InHand = { project: null, region: null }

/** Tell other windows what this one has in hand. */
export function show(now: InHand) {
  inHand = now
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(now))
}

type Listener = (news: News) => void
const listeners = new Set<Listener>()

/** Whether the server can be reached. */
export const connected = ref(true)

export function listen(listener: Listener): () => void {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

export function connect() {
  socket = new WebSocket(`${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/news`)
  socket.onopen = () => {
    connected.value = true
    // What happened while nobody listened is looked up anew.
    tell({ kind: 'back' })
    show(inHand)
  }
  socket.onmessage = (event) => tell(JSON.parse(event.data))
  socket.onclose = () => {
    connected.value = false
    setTimeout(connect, 1000)
  }
}

function tell(news: News) {
  for (const listener of [...listeners]) listener(news)
}
