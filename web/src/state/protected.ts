// Clips that are protected from beginning to end, and how far that is.
import { useDebounceFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref } from 'vue'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { ProtectedFilm } from '../api/types'
import { attempt } from './say'

const SETTLES = 200 // milliseconds after the last of many news

export const useProtected = defineStore('protected', () => {
  const films = ref<ProtectedFilm[]>([])
  const settle = useDebounceFn(load, SETTLES)

  listen((news) => {
    if (news.kind === 'back' || news.kind === 'projects') void settle()
    if (news.kind !== 'work') return
    const film = films.value.find((one) => one.work.id === news.id)
    if (!film) return
    // How far it is comes with the news; what came of it has to be asked for.
    if (news.work && news.work.state === 'running') film.work = { ...film.work, ...news.work }
    else void settle()
  })

  async function load() {
    await attempt(async () => (films.value = await content(api.GET('/api/protected'))))
  }

  /** Begin to protect clips of the shelf. */
  function begin(media: string[], what: string[]) {
    return attempt(async () => {
      await content(api.POST('/api/protected', { body: { media, what } }))
      await load()
    })
  }

  return { films, load, begin }
})
