// Regions that are filled with what lies behind them: beginning that, and how far it is.
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, content } from '../api/client'
import type { PlateInfo, Region } from '../api/types'
import { useCutting } from './cutting'
import { attempt } from './say'
import { useStores } from './stores'
import { useWork } from './work'

/** The look that fills a region. */
export const fillOf = (region: Region) => region.inside.find((look) => look.kind === 'fill' && look.on)

export const useFills = defineStore('fills', () => {
  const { session, selection, lanes } = useStores()
  const cutting = useCutting()
  const work = useWork()
  const plates = ref<PlateInfo[]>([]) // of the selected region
  const runs = computed(() => lanes.of?.regions.find((one) => one.region === selection.regionId)?.filled ?? [])
  const frames = computed(() => {
    const count = (state: string) =>
      runs.value.filter((run) => run.state === state).reduce((sum, run) => sum + run.last - run.first + 1, 0)
    const [seen, invented, old] = ['seen', 'invented', 'old'].map(count)
    const total = selection.shot ? selection.shot.last - selection.shot.first + 1 : 0
    const most = Math.max(0, ...runs.value.map((run) => run.invented))
    return { seen, invented, old, total, most, whole: seen + invented >= total }
  })

  let turn = 0
  watch(
    () => [selection.regionId, lanes.results, runs.value.length] as const,
    async ([region]) => {
      const [project, shot, now] = [session.id, selection.shot?.id, (turn += 1)]
      if (!project || !shot || !region || !selection.region || !fillOf(selection.region))
        return void (plates.value = [])
      const asked = { params: { path: { project, shot, region } } }
      const answer = await api.GET('/api/projects/{project}/fills/{shot}/{region}/plates', asked)
      if (now === turn) plates.value = answer.data ?? []
    },
    { immediate: true },
  )

  /** Fill the selected region where that is not done yet; a cut-out is propagated over the shot first. */
  async function begin() {
    const [project, shot, region] = [session.id, selection.shot?.id, selection.regionId]
    if (!project || !shot || !region) return
    const known = lanes.of?.regions.find((one) => one.region === region)?.runs ?? []
    if (selection.cutOut && known.some((run) => run.state === 'empty' || run.state === 'guess'))
      await cutting.propagate('both')
    const asked = { params: { path: { project } }, body: { shot, region } }
    void work.begins((took) =>
      attempt(async () => took(await content(api.POST('/api/projects/{project}/fills', asked)))),
    )
  }

  /** Where a plate lies as a picture. */
  const pictureOf = (number: number) =>
    `/api/projects/${session.id}/fills/${selection.shot?.id}/${selection.regionId}/plate-${number}.png`

  return { runs, frames, plates, begin, pictureOf }
})
