// Clips and projects on the shelf, and uploads on their way to it.
import { defineStore } from 'pinia'
import { computed, reactive, ref } from 'vue'
import { api, content, sentence } from '../api/client'
import { listen } from '../api/news'
import type { Facts, Medium, ProjectLine } from '../api/types'
import { attempt, say } from './say'

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

  function send(file: File, upload: Upload): Promise<string | null> {
    return new Promise((over) => {
      // fetch cannot tell how far an upload is.
      const request = new XMLHttpRequest()
      const fail = (problem: string) => {
        upload.problem = problem
        over(null)
      }
      upload.stop = () => {
        request.abort()
        forget(upload)
        over(null)
      }
      request.upload.onprogress = (event) => {
        upload.share = event.lengthComputable ? event.loaded / event.total : 0
      }
      request.onload = () => {
        if (request.status < 300) {
          forget(upload)
          over((parsed(request.responseText) as Medium).id)
        } else fail(sentence(parsed(request.responseText)))
      }
      request.onerror = () => fail('The upload broke off; nothing of it was kept. Drop the file again.')
      request.open('POST', `/api/media?name=${encodeURIComponent(file.name)}`)
      request.send(file)
    })
  }

  function forget(upload: Upload) {
    uploads.value = uploads.value.filter((one) => one !== upload)
  }

  return { media, pictured, projects, facts, uploads, loaded, load, medium, take, takeOne, forget }
})

function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return null
  }
}
