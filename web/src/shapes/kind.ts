// What a kind of shape has of its own. Each is a module of this folder, found by `shapes`.
import type { Kind, OutlinePoint, Pose, Shape } from '../api/types'
import type { Point } from '../viewer/mapping'

export interface ShapeKind {
  kind: Kind
  label: string
  key: string // that draws it
  hint: string // while it is drawn
  order: number // among the others
  /** Points along it in its own space, closed; of an endless one the two ends of a long line. */
  contour(shape: Shape, pose: Pose, points: OutlinePoint[] | null, frame: number): Point[]
  /** How it looks while it is dragged open from one place to another; a box where nothing is said. */
  sketch?(from: Point, to: Point): Point[]
  numbers: (keyof Pose)[] // that its card has
  endless?: boolean // a line from border to border, which cannot be followed
  corner?: number // where its softness is grabbed, as a share of its half size
}

export const BOXED: (keyof Pose)[] = ['x', 'y', 'rx', 'ry', 'rotation', 'shear']
