// Keys by name, and the search for a command.
import { createPinia, setActivePinia } from 'pinia'
import { effectScope } from 'vue'
import { describe, expect, it, vi } from 'vitest'
import { grouped, keyOf, matching, signOf, useActions } from '../src/state/actions'

vi.stubGlobal('HTMLElement', class {})

interface Pressed {
  key: string
  code?: string
  shiftKey?: boolean
  altKey?: boolean
  ctrlKey?: boolean
  metaKey?: boolean
  typed?: boolean
}
const pressed = ({ typed, ...one }: Pressed) =>
  ({ code: '', getModifierState: () => typed ?? false, preventDefault: vi.fn(), ...one }) as unknown as KeyboardEvent

describe('a key press', () => {
  it.each([
    [{ key: 'f', code: 'KeyF' }, 'F'],
    [{ key: 'F', code: 'KeyF', shiftKey: true }, 'Shift+F'],
    [{ key: 'ƒ', code: 'KeyF', altKey: true }, 'Alt+F'], // as some layouts type it with Alt
    [{ key: 'а', code: 'KeyF' }, 'F'], // where letters are others
    [{ key: 'z', code: 'KeyZ', metaKey: true }, 'Ctrl+Z'],
    [{ key: '+', shiftKey: true }, '+'],
    [{ key: '?', shiftKey: true }, '?'],
    [{ key: '[', altKey: true, ctrlKey: true, typed: true }, '['], // typed with AltGr
    [{ key: ' ' }, 'Space'],
    [{ key: 'ArrowLeft', shiftKey: true, altKey: true }, 'Alt+Shift+ArrowLeft'],
  ])('%o is %s', (event, name) => {
    expect(keyOf(pressed(event))).toBe(name)
  })
  it('is shown as people read it', () => {
    expect(signOf('Shift+ArrowLeft')).toBe('Shift+←')
    expect(signOf('+')).toBe('+')
  })
})

const some = grouped('Show', [
  { says: 'Zoom in', does: vi.fn() },
  { says: 'A title', does: vi.fn() },
  { says: 'Fit the picture in', does: vi.fn() },
])

it('is found by all of its words, the first first', () => {
  expect(matching(some, 'in').map((one) => one.says)).toEqual(['Zoom in', 'Fit the picture in'])
  expect(matching(some, 'IN zoom').map((one) => one.says)).toEqual(['Zoom in'])
  expect(matching(some, 'fit').map((one) => one.says)[0]).toBe('Fit the picture in')
  expect(matching(some, 'nothing of it')).toEqual([])
  expect(matching(some, '')).toHaveLength(3)
})

it('is done by the part of the screen that came last, where that can', () => {
  setActivePinia(createPinia())
  const actions = useActions()
  const [outer, inner] = [vi.fn(), vi.fn()]
  let open = true
  const scope = effectScope()
  scope.run(() => {
    actions.offer(() => grouped('Change', [{ says: 'outer', keys: ['Escape'], does: outer }]))
    actions.offer(() => grouped('Change', [{ says: 'inner', keys: ['Escape'], can: () => open, does: inner }]))
  })
  actions.press(pressed({ key: 'Escape' }))
  expect([inner.mock.calls.length, outer.mock.calls.length]).toEqual([1, 0])
  open = false
  actions.press(pressed({ key: 'Escape' }))
  expect([inner.mock.calls.length, outer.mock.calls.length]).toEqual([1, 1])
  scope.stop() // the part of the screen is gone
  actions.press(pressed({ key: 'Escape' }))
  expect(outer).toHaveBeenCalledTimes(1)
})
