// Long work under way, kept up to date by the news.
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { Work } from '../api/types'
import { attempt, say } from './say'

export const useWork = defineStore('work', () => {
  const open = ref<Record<string, Work>>({})
  const running = computed(() => Object.values(open.value))

  listen((news) => {
    if (news.kind === 'back') void load()
    if (news.kind !== 'work') return
    const { work } = news
    if (work && (work.state === 'running' || work.state === 'waiting')) {
      open.value[work.id] = work
      return
    }
    delete open.value[news.id]
    if (work?.state === 'failed' && work.kind !== 'ingest')
      say().message.error(`${work.label}: ${work.problem}`, { duration: 8000, closable: true })
  })

  async function load() {
    try {
      const works = await content(api.GET('/api/work'))
      open.value = Object.fromEntries(works.map((work) => [work.id, work]))
    } catch {
      // The banner about the connection says it.
    }
  }

  function on(subject: string | null | undefined): Work | undefined {
    return subject ? running.value.find((work) => work.subject === subject) : undefined
  }

  function stop(work: string) {
    return attempt(() => content(api.POST('/api/work/{work}/stop', { params: { path: { work } } })))
  }

  return { running, on, stop }
})

/** "about 12 s", "about 3 min"; empty where nothing is known yet. */
export function timeLeft(work: Work): string {
  if (work.left === null || work.left === undefined) return ''
  return work.left < 90
    ? `about ${Math.max(1, Math.round(work.left))} s left`
    : `about ${Math.round(work.left / 60)} min left`
}
