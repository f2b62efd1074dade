// Clips of the shelf in a menu, each with a picture; long menus scroll.
import type { DropdownOption } from 'naive-ui'
import { h, type CSSProperties } from 'vue'
import type { Medium } from '../api/types'

/** A small picture of a clip: its strip holds up to 24 side by side; the third from the left is past most fades. */
export function thumb(clip: Pick<Medium, 'id' | 'kind'>): CSSProperties {
  return {
    backgroundImage: `url(/api/media/${clip.id}/strip.jpg)`,
    backgroundSize: 'auto 100%',
    backgroundPosition: clip.kind === 'still' ? 'center' : '8.7% 0',
  }
}

/** Options for clips; `key` is what is told of the one that is chosen. */
export function clipOptions(clips: Medium[], key: (clip: Medium) => string = (clip) => clip.id): DropdownOption[] {
  return clips.map((clip) => ({
    key: key(clip),
    label: clip.name,
    icon: () => h('span', { class: 'clipthumb', style: thumb(clip), 'aria-hidden': 'true' }),
  }))
}

/** Settings of a menu that may be long, and have others in it. */
export const SCROLLS = {
  scrollable: true,
  menuProps: () => ({ style: 'max-height: 60vh; max-width: 420px' }),
  // The library calls the arrow to a further menu a picture, without a name; what it says the menu says itself.
  onUpdateShow: (shown: boolean) =>
    shown &&
    void requestAnimationFrame(() => {
      for (const arrow of document.querySelectorAll('.n-dropdown-menu .n-icon'))
        arrow.setAttribute('aria-hidden', 'true')
    }),
}
