// The kinds of shapes that can be drawn, with the keys that draw them.
import type { Kind } from '../api/types'

export const SHAPES: { kind: Kind; label: string; key: string; hint: string }[] = [
  {
    kind: 'ellipse',
    label: 'Ellipse',
    key: 'R',
    hint: 'Drag an ellipse over it. Enter puts one in the middle, Esc leaves drawing.',
  },
  {
    kind: 'rectangle',
    label: 'Rectangle',
    key: 'T',
    hint: 'Drag a rectangle over it. Enter puts one in the middle, Esc leaves drawing.',
  },
  {
    kind: 'path',
    label: 'Path',
    key: 'P',
    hint: 'Click for corners, drag for curves. The first point or Enter closes, Backspace takes one back, Esc leaves.',
  },
  {
    kind: 'horizon',
    label: 'Horizon',
    key: 'H',
    hint: 'Click for a level edge, or drag along a tilted one. What is above it is covered. Esc leaves drawing.',
  },
]
