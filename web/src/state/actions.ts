// What can be done at this moment, once for the keys, the list of keys and the search for a command.
import { defineStore } from 'pinia'
import { computed, onScopeDispose, shallowRef } from 'vue'
import { isTyping } from '../parts/keys'

export const GROUPS = ['Play and go', 'Show', 'New', 'Change', 'Track and propagate', 'Arrange', 'Everywhere'] as const

export interface Action {
  says: string
  group: (typeof GROUPS)[number]
  /** As `keyOf` names them; any of them does it. */
  keys?: string[]
  /** What the list of keys shows in their place; nothing where another line of it tells of them. */
  shown?: string
  /** Whether it can be done now; always, where nothing is said. */
  can?: () => boolean
  /** What it does depends on the key that was pressed: it is not offered by its name. */
  byKey?: boolean
  does: (event?: KeyboardEvent) => void
}

/** Actions of one group. */
export function grouped(group: Action['group'], actions: Omit<Action, 'group'>[]): Action[] {
  return actions.map((one) => ({ group, ...one }))
}

/** A key press by name: `Shift+F`, `Ctrl+Z`, `[`, `ArrowLeft`, `Space`. What is typed with Shift is named without it. */
export function keyOf(event: KeyboardEvent): string {
  const typed = event.getModifierState?.('AltGraph')
  const alt = event.altKey && !typed
  // With Alt, and where letters are others, the key itself tells which one was meant.
  const letter = /^Key[A-Z]$/.test(event.code) && (alt || !/^[\x20-\x7e]+$/.test(event.key)) ? event.code[3] : null
  const name = letter ?? (event.key === ' ' ? 'Space' : event.key.length === 1 ? event.key.toUpperCase() : event.key)
  const shift = event.shiftKey && (name.length > 1 || /[A-Z]/.test(name))
  const held = [(event.ctrlKey || event.metaKey) && !typed && 'Ctrl', alt && 'Alt', shift && 'Shift']
  return [...held, name].filter(Boolean).join('+')
}

const SIGNS: Record<string, string> = {
  ArrowLeft: '←',
  ArrowRight: '→',
  ArrowUp: '↑',
  ArrowDown: '↓',
  PageUp: 'Page Up',
  PageDown: 'Page Down',
  Escape: 'Esc',
  '-': '−',
}

/** A key as people read it. */
export const signOf = (key: string) => key.replace(/[^+]+$|\+$/, (name) => SIGNS[name] ?? name)

/** The actions whose words hold all that was typed, those that begin with it first. */
export function matching(actions: Action[], typed: string): Action[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean)
  const found = actions.filter((one) => words.every((word) => `${one.says} ${one.group}`.toLowerCase().includes(word)))
  const begins = (one: Action) => (one.says.toLowerCase().startsWith(words[0] ?? '') ? 0 : 1)
  return found.sort((a, b) => begins(a) - begins(b))
}

export const useActions = defineStore('actions', () => {
  const lists = shallowRef<(() => Action[])[]>([])
  /** The latest first: a part of a screen has the keys before the screen. */
  const all = computed(() => lists.value.flatMap((list) => list()))

  /** Offer what a part of the screen can do, as long as that is there. */
  function offer(list: () => Action[]) {
    lists.value = [list, ...lists.value]
    onScopeDispose(() => (lists.value = lists.value.filter((one) => one !== list)))
  }

  function press(event: KeyboardEvent) {
    if (isTyping(event) || event.defaultPrevented) return
    const key = keyOf(event)
    const onButton = event.target instanceof HTMLElement && event.target.closest('button, a, summary, [role=checkbox]')
    if (onButton && (key === 'Space' || key === 'Enter')) return
    const action = all.value.find((one) => one.keys?.includes(key) && (one.can?.() ?? true))
    if (!action) return
    event.preventDefault()
    action.does(event)
  }

  return { all, offer, press }
})
