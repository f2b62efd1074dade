import { apply, flattened, matrixOf } from '../viewer/geometry'
import { BOXED, type ShapeKind } from './kind'

export default {
  kind: 'path',
  label: 'Path',
  key: 'P',
  hint: 'Click for corners, drag for curves. The first point or Enter closes, Backspace takes one back, Esc leaves.',
  order: 3,
  contour: (_shape, pose, points) => flattened(points ?? []).map((point) => apply(matrixOf(pose), point)),
  numbers: BOXED,
} satisfies ShapeKind
