// The kinds of shapes, in the order in which they are offered.
import type { OutlinePoint, Pose, Shape } from '../api/types'
import type { Point } from '../viewer/mapping'
import type { ShapeKind } from './kind'

const modules = import.meta.glob<{ default?: ShapeKind }>('./*.ts', { eager: true })
export const SHAPES: ShapeKind[] = Object.values(modules)
  .flatMap((module) => module.default ?? [])
  .sort((a, b) => a.order - b.order)

export function shapeKind(kind: string | undefined): ShapeKind | undefined {
  return SHAPES.find((one) => one.kind === kind)
}

/** Points along a shape in its own space. */
export function contour(shape: Shape, pose: Pose, points: OutlinePoint[] | null, frame: number): Point[] {
  return shapeKind(shape.kind)?.contour(shape, pose, points, frame) ?? []
}
