// What says quietly that work has ended: the title of the tab, a live message, and a notification where it is wanted.
import { useDocumentVisibility, useTitle } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { listen } from '../api/news'
import { useLanes } from './lanes'
import { useSession } from './session'
import { useSettings } from './settings'
import { useWork } from './work'

export const useEnds = defineStore('ends', () => {
  const work = useWork()
  const session = useSession()
  const lanes = useLanes()
  const settings = useSettings()
  const visible = useDocumentVisibility()
  const able = 'Notification' in window
  const said = ref('') // the latest, for those who hear the screen
  const missed = ref('') // what ended while the tab was not looked at

  listen((news) => {
    if (news.kind !== 'work' || !news.work) return
    const { state, label, problem, kind } = news.work
    if (state !== 'done' && state !== 'failed') return
    // What became of a file is told by the shelf.
    if (kind === 'ingest') return
    said.value = state === 'done' ? `Done: ${label}.` : `Failed: ${label}. ${problem ?? ''}`
    if (visible.value === 'visible') return
    missed.value = `${state === 'done' ? '✓' : '!'} ${label}`
    if (settings.notify && able && Notification.permission === 'granted')
      new Notification('Cravo', { body: said.value })
  })
  watch(visible, (now) => now === 'visible' && (missed.value = ''))

  // Doubts that came or went with what was computed.
  watch(
    () => lanes.doubts.length,
    (now, before) => {
      if (now !== before) said.value = now === 1 ? '1 doubt in this shot.' : `${now} doubts in this shot.`
    },
  )

  const share = computed(() => {
    const one = work.running.find((each) => each.state === 'running')
    return one?.total ? `${Math.floor((100 * one.done) / one.total)} % ${one.label}` : ''
  })
  useTitle(computed(() => [missed.value || share.value || session.document?.name, 'Cravo'].filter(Boolean).join(' – ')))

  /** Whether the browser lets it tell; asked for once, at a press. */
  async function notify(on: boolean) {
    settings.notify = on && able && (await Notification.requestPermission()) === 'granted'
  }

  return { said, able, notify }
})
