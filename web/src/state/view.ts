// How the bench shows what it shows.
import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'
import { useSelection } from './selection'

export type MatteView = 'outline' | 'veil' | 'matte' | 'chequer' | 'white' | 'black' | 'colour'
export const MATTE_VIEWS: MatteView[] = ['outline', 'veil', 'matte', 'chequer', 'white', 'black', 'colour']
export const MATTE_WORDS: Record<MatteView, string> = {
  outline: 'Outline',
  veil: 'Veil',
  matte: 'Bare matte',
  chequer: 'Cut out on chequer',
  white: 'Cut out on white',
  black: 'Cut out on black',
  colour: 'Cut out on a colour',
}

/** A picture kept to compare others with. */
export interface Still {
  bitmap: ImageBitmap
  label: string
}

export const useView = defineStore('view', () => {
  const selection = useSelection()
  const matte = ref<MatteView>('outline')
  const plain = ref('#d94f9a')
  const before = ref(0) // share of the width that is shown untreated
  const aside = ref(false) // untreated and treated side by side
  const stills = shallowRef<Still[]>([]) // kept to compare with, as long as the window is open
  const still = shallowRef<Still | null>(null) // that is laid over the left part of the picture
  const below = ref<'lanes' | 'layers' | 'scopes'>('lanes')
  const choosing = ref(false) // a recipe
  const reading = ref(false) // values under the pointer
  const grid = ref(false)
  const playing = ref(false)

  /** Show a region of a frame of the piece, as its lane has it. */
  function showRegion(at: number, which: string | null) {
    selection.itemId = null
    below.value = 'lanes'
    selection.select(which)
    selection.go(at)
  }

  return { matte, plain, before, aside, stills, still, below, choosing, reading, grid, playing, showRegion }
})
