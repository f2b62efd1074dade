// A copied shape, for another region, shot, project or window.
import { defineStore } from 'pinia'
import { ref } from 'vue'
import type { Part } from '../api/types'
import { isShape } from './numbers'
import { say } from './say'
import { useStores } from './stores'

const PLACE = 'cravo.copied'
interface Copied {
  part: Part
  shot: string
  matrix: number[][] // what carried it where it was seen
}

export const useClip = defineStore('clip', () => {
  const { selection, lanes, commands } = useStores()
  const held = ref(localStorage.getItem(PLACE) !== null)

  function copy(part: Part) {
    const m = lanes.carrierOf(isShape(part) ? part.attached_to : null)
    const copied: Copied = {
      part,
      shot: selection.shot?.id ?? '',
      matrix: [m.slice(0, 3), m.slice(3, 6), m.slice(6, 9)],
    }
    localStorage.setItem(PLACE, JSON.stringify(copied))
    held.value = true
    say().message.info(`${part.name} is copied. Select a region, here or in another project, and paste it.`)
  }

  async function paste() {
    const text = localStorage.getItem(PLACE)
    if (!text) return
    const { part, shot: from, matrix } = JSON.parse(text) as Copied
    const away = from !== selection.shot?.id
    // In another shot it starts anew from where it was seen on the frame it was copied on.
    await commands.addShape(part, selection.regionId, away ? matrix : null)
  }

  return { held, copy, paste }
})
