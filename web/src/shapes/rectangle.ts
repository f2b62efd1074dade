import { valueAt } from '../state/numbers'
import { apply, matrixOf, rounded } from '../viewer/geometry'
import { BOXED, type ShapeKind } from './kind'

export default {
  kind: 'rectangle',
  label: 'Rectangle',
  key: 'T',
  hint: 'Drag a rectangle over it. Enter puts one in the middle, Esc leaves drawing.',
  order: 2,
  contour(shape, pose, points, frame) {
    const corners = (points ?? []).map((point) => apply(matrixOf(pose), point))
    return rounded(corners, 'rounding' in shape ? valueAt(shape.rounding, frame) : 0)
  },
  numbers: BOXED,
} satisfies ShapeKind
