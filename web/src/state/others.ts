// What other windows have in hand, in the project that is open here.
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { listen, show } from '../api/news'
import { useSelection } from './selection'
import { useSession } from './session'

export const useOthers = defineStore('others', () => {
  const session = useSession()
  const selection = useSelection()
  const windows = ref(new Map<string, string | null>()) // the region that each has selected

  listen((news) => {
    if (news.kind === 'back') windows.value.clear()
    if (news.kind !== 'window') return
    if (news.project === session.id) windows.value.set(news.id, news.region)
    else windows.value.delete(news.id)
  })
  watch(
    [() => session.id, () => selection.regionId],
    ([project, region], before) => {
      if (project !== before[0]) windows.value.clear()
      show({ project: project ?? null, region })
    },
    { immediate: true },
  )

  const regions = computed(() => new Set(windows.value.values()))
  return { windows, regions }
})
