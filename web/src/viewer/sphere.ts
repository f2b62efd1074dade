// What a drag needs of the sphere around a spherical clip, as the server has it in core/geometry/sphere.py.
import { IDENTITY, inverse, multiplied, type Matrix } from './geometry'
import type { Point, Size } from './mapping'

/** Where somebody looks, in degrees: to the right of straight ahead, up, and the head leant clockwise. */
export interface Gaze {
  yaw: number
  pitch: number
  roll?: number
}
export type Direction = [number, number, number] // to the right, down, ahead

/** Directions around the camera to those of somebody who looks along a view. */
export function turnOf({ yaw, pitch, roll = 0 }: Gaze): Matrix {
  const [y, p, r] = [yaw, pitch, roll].map((angle) => (angle * Math.PI) / 180)
  const level = [Math.cos(y), 0, -Math.sin(y), 0, 1, 0, Math.sin(y), 0, Math.cos(y)]
  const up = [1, 0, 0, 0, Math.cos(p), Math.sin(p), 0, -Math.sin(p), Math.cos(p)]
  const lean = [Math.cos(r), Math.sin(r), 0, -Math.sin(r), Math.cos(r), 0, 0, 0, 1]
  return multiplied(lean, multiplied(up, level))
}

/** Directions to pixels of the flat picture along a view that parts and motions are drawn in. */
export function planeOf(sphere: Size, view: Gaze): Matrix {
  const [focal, middle] = [sphere.width / (2 * Math.PI), sphere.height / 2]
  return multiplied([focal, 0, middle, 0, focal, middle, 0, 0, 1], turnOf(view))
}

/** Pixels of the flat picture along one view to those along another. */
export function between(sphere: Size, one: Gaze, other: Gaze): Matrix {
  return same(one, other) ? IDENTITY : multiplied(planeOf(sphere, other), inverse(planeOf(sphere, one)))
}

const same = (one: Gaze, other: Gaze) =>
  one.yaw === other.yaw && one.pitch === other.pitch && (one.roll ?? 0) === (other.roll ?? 0)

/** How far ahead a point lies after a matrix: 0 and less is behind. */
export function ahead(m: Matrix, { x, y }: Point): number {
  return m[6] * x + m[7] * y + m[8]
}

/** The direction of a pixel of the wide picture, and the other way round. */
export function directionOf(sphere: Size, { x, y }: Point): Direction {
  const [longitude, latitude] = [(x / sphere.width - 0.5) * 2 * Math.PI, (0.5 - y / sphere.height) * Math.PI]
  const level = Math.cos(latitude)
  return [level * Math.sin(longitude), -Math.sin(latitude), level * Math.cos(longitude)]
}

export function onWide(sphere: Size, [x, y, z]: Direction): Point {
  const [longitude, latitude] = [Math.atan2(x, z), Math.atan2(-y, Math.hypot(x, z))]
  return {
    x: (longitude / (2 * Math.PI) + 0.5) * sphere.width,
    y: (0.5 - latitude / Math.PI) * sphere.height,
  }
}

export function gazeAt([x, y, z]: Direction): Gaze {
  return { yaw: (Math.atan2(x, z) * 180) / Math.PI, pitch: (Math.atan2(-y, Math.hypot(x, z)) * 180) / Math.PI }
}

/** Closed lines of the wide picture, cut where they cross its border. */
export function cutAtSeam(sphere: Size, points: Point[]): Point[][] {
  const pieces: Point[][] = [[]]
  points.forEach((point, i) => {
    const before = points[i - 1]
    if (before && Math.abs(point.x - before.x) > sphere.width / 2) pieces.push([])
    pieces[pieces.length - 1].push(point)
  })
  return pieces
}
