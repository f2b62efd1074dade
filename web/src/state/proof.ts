// The check before export: what is open, what could still tell, what is in doubt, and mending it.
import { useStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, content } from '../api/client'
import { listen } from '../api/news'
import type { Gap, Look, OpenPoint, ProofInfo, RegionCoverage, Remark } from '../api/types'
import { useSession } from './session'
import { shotsOf } from './shots'
import { attempt } from './say'
import { useWork } from './work'

export const useProof = defineStore('proof', () => {
  const session = useSession()
  const work = useWork()
  const points = ref<OpenPoint[] | null>(null) // null before they are known
  const regions = ref<RegionCoverage[]>([])
  const last = ref<ProofInfo | null>(null)
  const who = useStorage('cravo.who', '') // signs what was found right
  const project = computed(() => session.id)
  const running = computed(() => work.running.find((one) => one.kind === 'proof' && one.project === project.value))
  const found = computed(() => last.value?.proof ?? null)

  /** Whether anything in the piece is meant to hide something. */
  const hiding = computed(() => regions.value.some((one) => one.hides))
  /** What stands against an export, in words; null where nothing does. */
  const against = computed(() => {
    if (!hiding.value) return null
    if (!last.value) return 'What is hidden here was not checked yet.'
    if (last.value.stale) return 'The project was changed since it was checked.'
    const { gaps, remarks } = last.value.proof
    const said = [
      ...(gaps.length ? [gaps.length === 1 ? 'one place is open' : `${gaps.length} places are open`] : []),
      ...(remarks.length
        ? [
            remarks.length === 1
              ? 'one thing could still identify somebody'
              : `${remarks.length} things could still identify somebody`,
          ]
        : []),
    ]
    return said.length ? `The check found: ${said.join(', ')}.` : null
  })

  listen((news) => {
    const own = news.kind === 'work' && news.work?.project === project.value && news.work?.state === 'done'
    if (news.kind === 'back' || own || (news.kind === 'project' && news.id === project.value)) void load()
  })
  watch(project, () => {
    points.value = last.value = null
    regions.value = []
  })

  async function load() {
    const which = project.value
    if (!which) return
    const path = { params: { path: { project: which } } }
    await attempt(async () => {
      const [open, states, proof] = await Promise.all([
        content(api.GET('/api/projects/{project}/check', path)),
        content(api.GET('/api/projects/{project}/coverage', path)),
        api.GET('/api/projects/{project}/proof', path),
      ])
      if (which !== project.value) return
      points.value = open
      regions.value = states
      last.value = proof.data ?? null
    })
  }

  /** Check the piece, and a file that was exported of it. */
  function check(file: string | null) {
    if (!project.value) return
    const asked = { params: { path: { project: project.value } }, body: { export: file } }
    return work.begins((took) =>
      attempt(async () => took(await content(api.POST('/api/projects/{project}/proof', asked)))),
    )
  }

  function accept(point: OpenPoint) {
    const { region, first, last, reason } = point
    return session.edit('Reviewed', (document) => {
      const when = new Date().toISOString().slice(0, 19)
      document.accepted = [...(document.accepted ?? []), { region, first, last, reason, who: who.value.trim(), when }]
    })
  }

  /** Do what a remark says would do. */
  function mend(remark: Remark) {
    const { mend } = remark
    if (!mend) return
    return session.edit('Mend', (document) => {
      for (const shot of shotsOf(document)) {
        if (shot.id !== remark.shot) continue
        if (mend.voice !== null && mend.voice !== undefined) shot.voice = mend.voice
        const looks = shot.regions.flatMap((one) => one.inside)
        for (const look of looks)
          if (look.id === mend.look) Object.assign(look.settings, mend.settings as Look['settings'])
      }
    })
  }

  /** Cover what the check found open, where it found it. */
  function close(gap: Gap) {
    return session.command({ do: 'cover open', shot: gap.shot, region: gap.region ?? '', gap })
  }

  return { points, regions, last, found, who, running, hiding, against, load, check, accept, mend, close }
})
