import { apply, circle, matrixOf } from '../viewer/geometry'
import { BOXED, type ShapeKind } from './kind'

export default {
  kind: 'ellipse',
  label: 'Ellipse',
  key: 'R',
  hint: 'Drag an ellipse over it. Enter puts one in the middle, Esc leaves drawing.',
  order: 1,
  contour: (_shape, pose) => circle(72).map((point) => apply(matrixOf(pose), point)),
  sketch(from, to) {
    const centre = { x: (from.x + to.x) / 2, y: (from.y + to.y) / 2 }
    const [rx, ry] = [Math.abs(from.x - to.x) / 2, Math.abs(from.y - to.y) / 2]
    return circle(64).map((point) => ({ x: centre.x + rx * point.x, y: centre.y + ry * point.y }))
  },
  numbers: BOXED,
  corner: Math.SQRT1_2,
} satisfies ShapeKind
