// Long work under way, kept up to date by the news.
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { Work } from '../api/types'
import { attempt, say } from './say'

export const useWork = defineStore('work', () => {
  const open = ref<Record<string, Work>>({})
  const begun = ref(0) // presses whose work is not known yet
  const ended = new Set<string>() // news of them may come before the answer to the press
  const running = computed(() => Object.values(open.value))
  const busy = computed(() => Math.max(running.value.length, begun.value))

  listen((news) => {
    if (news.kind === 'back') void load()
    if (news.kind !== 'work') return
    const { work } = news
    if (ended.has(news.id)) return
    if (work && (work.state === 'running' || work.state === 'waiting')) {
      const place = work.place ?? open.value[work.id]?.place ?? null
      open.value[work.id] = { ...work, place }
      // News do not say where in line it is.
      if (work.state === 'waiting' && place === null) void load()
      return
    }
    delete open.value[news.id]
    ended.add(news.id)
    // Everything behind it moves up.
    if (Object.values(open.value).some((one) => one.state === 'waiting')) void load()
    if (work?.state === 'failed' && work.kind !== 'ingest')
      say().message.error(`${work.label}: ${work.problem}`, { duration: 8000, closable: true })
  })

  /** A press that begins work: it is seen at once, whenever the server answers. */
  async function begins<T>(run: (took: (work: Work) => void) => Promise<T>): Promise<T> {
    begun.value += 1
    try {
      return await run((work) => {
        if (!ended.has(work.id)) open.value[work.id] = work
      })
    } finally {
      begun.value -= 1
    }
  }

  async function load() {
    try {
      const works = await content(api.GET('/api/work'))
      // What has ended while the answer was on its way is not at work again.
      open.value = Object.fromEntries(works.filter((work) => !ended.has(work.id)).map((work) => [work.id, work]))
    } catch {
      // The banner about the connection says it.
    }
  }

  function on(subject: string | null | undefined): Work | undefined {
    return subject ? running.value.find((work) => work.subject === subject || among(work).includes(subject)) : undefined
  }

  function stop(work: string) {
    return attempt(() => content(api.POST('/api/work/{work}/stop', { params: { path: { work } } })))
  }

  return { running, busy, begins, on, stop }
})

/** What work on many things at once is on. */
const among = (work: Work) => (work.detail as { subjects?: string[] }).subjects ?? []

/** What it is about: its project, its shot, its region. */
export function about(work: Work): string {
  const { shot_name, region_name } = work.detail as { shot_name?: string; region_name?: string }
  // What the label says already is not said twice.
  return [work.project_name, shot_name, region_name].filter((one) => one && !work.label.includes(one)).join(' · ')
}

/** "waiting for Cutting out", "third in line", "starting". */
export function standing(work: Work): string {
  const waits = (work.detail as { waits_for?: string }).waits_for
  if (work.state !== 'waiting') return timeLeft(work) || 'starting'
  if (waits) return `waits for: ${waits}`
  if (work.place === null || work.place === undefined) return 'waiting'
  return work.place === 0 ? 'next in line' : `${work.place} before it`
}

/** "about 12 s left", "about 3 min left"; empty where nothing is known yet. */
export function timeLeft(work: Work): string {
  if (work.left === null || work.left === undefined) return ''
  return work.left < 90
    ? `about ${Math.max(1, Math.round(work.left))} s left`
    : `about ${Math.round(work.left / 60)} min left`
}
