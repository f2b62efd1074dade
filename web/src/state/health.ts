// Whether every part of Cravo is alive: what is dead is started again by itself, and said meanwhile.
import { computed, ref } from 'vue'
import { connected } from '../api/news'

const EVERY = 4000 // milliseconds
const SAID_AFTER = 2 // looks in a row that found nobody at work; one is a worker between two pieces
const database = ref(true)
const idle = ref(0)

export const trouble = computed(() => {
  if (!connected.value)
    return 'Cravo does not answer. Everything up to your last edit is kept; it is being started again, and this page goes on by itself.'
  if (!database.value) return 'The database does not answer. It is being started again; what was acknowledged is kept.'
  if (idle.value >= SAID_AFTER)
    return 'Nobody is at work: nothing is followed, found or exported until a worker is started again, which happens by itself.'
  return null
})

async function look() {
  try {
    const answer = await fetch('/api/health')
    const found = (await answer.json()) as { database: boolean; workers: number }
    database.value = found.database
    idle.value = found.workers || !found.database ? 0 : idle.value + 1
  } catch {
    // The socket of the news says that nobody answers.
  }
}

export function watchHealth() {
  void look()
  setInterval(() => void look(), EVERY)
}
