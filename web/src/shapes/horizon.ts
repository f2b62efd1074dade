import type { ShapeKind } from './kind'

const FAR = 6000 // source pixels, beyond any border

export default {
  kind: 'horizon',
  label: 'Horizon',
  key: 'H',
  hint: 'Click for a level edge, or drag along a tilted one. What is above it is covered. Esc leaves drawing.',
  order: 4,
  contour(_shape, pose) {
    const turn = (pose.rotation * Math.PI) / 180
    const step = { x: FAR * Math.cos(turn), y: FAR * Math.sin(turn) }
    return [
      { x: pose.x - step.x, y: pose.y - step.y },
      { x: pose.x + step.x, y: pose.y + step.y },
    ]
  },
  sketch: (from, to) => [from, to],
  numbers: ['x', 'y', 'rotation'],
  endless: true,
} satisfies ShapeKind
