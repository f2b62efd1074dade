// The guide: which page is open, and which one is about what is worked on.
import { defineStore } from 'pinia'
import { ref } from 'vue'
import { useRoute } from 'vue-router'
import { useSelection } from './selection'
import { useView } from './view'

/** Pages by the kind of part that is selected; the names are those of the guide's files. */
const OF_PARTS: Record<string, string> = {
  'cut-out': 'cut-outs',
  matte: 'cut-outs',
  faces: 'faces',
  lettering: 'lettering',
  plates: 'lettering',
  colours: 'colours',
}

export const useHelp = defineStore('help', () => {
  const route = useRoute()
  const selection = useSelection()
  const view = useView()
  const page = ref<string | null>(null) // none while the guide is closed

  /** The page about what is on the screen and selected there. */
  function here(): string {
    const screen = route.path.split('/')[3]
    if (screen) return screen
    if (!route.params.id) return 'shelf'
    if (view.below === 'layers') return 'layers'
    const { part } = selection
    if (part?.kind === 'cut-out' && part.sort === 'sky') return 'sky'
    if (part) return OF_PARTS[part.kind] ?? 'shapes'
    if (selection.shot?.sphere) return 'spherical'
    return selection.motion ? 'shapes' : 'bench'
  }

  function open(which: string) {
    page.value = which
  }

  return { page, open, openHere: () => open(here()) }
})
