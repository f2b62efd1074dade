// Clips and projects on the shelf, and uploads on their way to it.
import { defineStore } from 'pinia'
import { computed, reactive, ref } from 'vue'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { Facts, Medium, ProjectLine } from '../api/types'
import { attempt, say } from './say'
import { sendFile } from './upload'

export interface Upload {
  name: string
  share: number
  problem: string | null
  stop: () => void
}

export const useShelf = defineStore('shelf', () => {
  const media = ref<Medium[]>([])
  /** What can be laid into a film, or behind somebody: ready, and with a picture. */
  const pictured = computed(() => media.value.filter((one) => one.state === 'ready' && one.kind !== 'table'))
  const projects = ref<ProjectLine[]>([])
  const facts = ref<Facts | null>(null)
  const uploads = ref<Upload[]>([])
  const loaded = ref(false)

  listen((news) => {
    if (news.kind !== 'work') void load()
  })

  async function load() {
    await attempt(async () => {
      const [clips, lines, known] = await Promise.all([
        content(api.GET('/api/media')),
        content(api.GET('/api/projects')),
        // What the demo shows grows while its clips are drawn.
        facts.value?.showpiece ? facts.value : content(api.GET('/api/facts')),
      ])
      media.value = clips
      projects.value = lines
      facts.value = known
      loaded.value = true
    })
  }

  function medium(id: string): Medium | undefined {
    return media.value.find((one) => one.id === id)
  }

  /** Upload files one after another; each shows how far it is and can be stopped. */
  async function take(files: Iterable<File>) {
    const waiting = [...files].map((file) => ({ file, upload: announce(file) }))
    for (const { file, upload } of waiting) if (uploads.value.includes(upload)) await send(file, upload)
  }

  /** Upload one file; gives the medium's id, or null where it did not arrive. */
  async function takeOne(file: File): Promise<string | null> {
    const upload = announce(file)
    const id = await send(file, upload)
    if (upload.problem) say().message.error(upload.problem)
    await load()
    return id
  }

  function announce(file: File): Upload {
    const upload = reactive<Upload>({ name: file.name, share: 0, problem: null, stop: () => forget(upload) })
    uploads.value.push(upload)
    return upload
  }

  async function send(file: File, upload: Upload): Promise<string | null> {
    const stop = new AbortController()
    const stopped = new Promise<null>((over) => stop.signal.addEventListener('abort', () => over(null)))
    upload.stop = () => {
      stop.abort()
      forget(upload)
    }
    try {
      const id = await Promise.race([sendFile(file, (share) => (upload.share = share), stop.signal), stopped])
      forget(upload)
      return id
    } catch (error) {
      upload.problem = (error as Error).message
      return null
    }
  }

  function forget(upload: Upload) {
    uploads.value = uploads.value.filter((one) => one !== upload)
  }

  return { media, pictured, projects, facts, uploads, loaded, load, medium, take, takeOne, forget }
})
