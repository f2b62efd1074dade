// What a drag needs of the geometry, to feel immediate: matrices (nine numbers, row by row), poses, outlines.
import type { OutlinePoint, Pose } from '../api/types'
import type { Point } from './mapping'

export type Matrix = number[]
export const IDENTITY: Matrix = [1, 0, 0, 0, 1, 0, 0, 0, 1]

export function apply(m: Matrix, { x, y }: Point): Point {
  const w = m[6] * x + m[7] * y + m[8]
  return { x: (m[0] * x + m[1] * y + m[2]) / w, y: (m[3] * x + m[4] * y + m[5]) / w }
}

/** The second one first, then the first. */
export function multiplied(one: Matrix, other: Matrix): Matrix {
  return [0, 3, 6].flatMap((row) =>
    [0, 1, 2].map(
      (column) => one[row] * other[column] + one[row + 1] * other[column + 3] + one[row + 2] * other[column + 6],
    ),
  )
}

export function inverse(m: Matrix): Matrix {
  const [a, b, c, d, e, f, g, h, i] = m
  const det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
  return [
    e * i - f * h,
    c * h - b * i,
    b * f - c * e,
    f * g - d * i,
    a * i - c * g,
    c * d - a * f,
    d * h - e * g,
    b * g - a * h,
    a * e - b * d,
  ].map((value) => value / det)
}

/** From the unit square of a pose to source pixels. */
export function matrixOf(pose: Pose): Matrix {
  const turn = (pose.rotation * Math.PI) / 180
  const [cos, sin] = [Math.cos(turn), Math.sin(turn)]
  const lean = Math.tan((pose.shear * Math.PI) / 180) * pose.ry
  return [cos * pose.rx, cos * lean - sin * pose.ry, pose.x, sin * pose.rx, sin * lean + cos * pose.ry, pose.y, 0, 0, 1]
}

/** The pose after a matrix, as around its own centre. */
export function carry(pose: Pose, m: Matrix): Pose {
  const centre = apply(m, pose)
  const w = m[6] * pose.x + m[7] * pose.y + m[8]
  const j = [
    (m[0] - centre.x * m[6]) / w,
    (m[1] - centre.x * m[7]) / w,
    (m[3] - centre.y * m[6]) / w,
    (m[4] - centre.y * m[7]) / w,
  ]
  const own = matrixOf(pose)
  const a = j[0] * own[0] + j[1] * own[3]
  const b = j[0] * own[1] + j[1] * own[4]
  const c = j[2] * own[0] + j[3] * own[3]
  const d = j[2] * own[1] + j[3] * own[4]
  const rx = Math.max(Math.hypot(a, c), 1e-3)
  const ry = Math.max((a * d - b * c) / rx, 1e-3)
  const near = pose.rotation + (Math.atan2(j[2] - j[1], j[0] + j[3]) * 180) / Math.PI
  const rotation = (Math.atan2(c, a) * 180) / Math.PI
  const shear = (Math.atan2((a * b + c * d) / rx, ry) * 180) / Math.PI
  return {
    ...centre,
    rx,
    ry,
    rotation: rotation + 360 * Math.round((near - rotation) / 360),
    shear: Math.min(Math.max(shear, -85), 85),
  }
}

export function circle(count: number): Point[] {
  return Array.from({ length: count }, (_, i) => {
    const angle = (2 * Math.PI * i) / count
    return { x: Math.cos(angle), y: Math.sin(angle) }
  })
}

/** A closed outline with its corners rounded by a radius. */
export function rounded(corners: Point[], radius: number): Point[] {
  if (radius <= 0) return corners
  return corners.flatMap((here, i) => {
    const before = corners[(i + corners.length - 1) % corners.length]
    const after = corners[(i + 1) % corners.length]
    const back = { x: before.x - here.x, y: before.y - here.y }
    const on = { x: after.x - here.x, y: after.y - here.y }
    const [backLength, onLength] = [Math.hypot(back.x, back.y), Math.hypot(on.x, on.y)]
    const cosine = (back.x * on.x + back.y * on.y) / (backLength * onLength || 1)
    const half = Math.acos(Math.min(Math.max(cosine, -1), 1)) / 2
    if (half < 1e-3 || half > Math.PI / 2 - 1e-3) return [here]
    const away = Math.min(radius / Math.tan(half), Math.min(backLength, onLength) / 2)
    const a = { x: here.x + (back.x / backLength) * away, y: here.y + (back.y / backLength) * away }
    const b = { x: here.x + (on.x / onLength) * away, y: here.y + (on.y / onLength) * away }
    // A rational quadratic is an arc; enough points for the screen.
    const weight = Math.sin(half)
    return Array.from({ length: 9 }, (_, k) => {
      const t = k / 8
      const [p, q, r] = [(1 - t) ** 2, 2 * weight * t * (1 - t), t ** 2]
      const sum = p + q + r
      return { x: (p * a.x + q * here.x + r * b.x) / sum, y: (p * a.y + q * here.y + r * b.y) / sum }
    })
  })
}

/** Points along a closed outline of curves. */
export function flattened(points: OutlinePoint[]): Point[] {
  return points.flatMap((here, i) => side(here, points[(i + 1) % points.length], 20))
}

/** Points along one side of an outline, without its end. */
export function side(here: OutlinePoint, next: OutlinePoint, count: number): Point[] {
  const straight = [...(here.after ?? []), ...(next.before ?? [])].every((value) => !value)
  if (straight) return [{ x: here.x, y: here.y }]
  return Array.from({ length: count }, (_, k) => along(here, next, k / count))
}

export function along(here: OutlinePoint, next: OutlinePoint, t: number): Point {
  const [ax, ay] = here.after ?? [0, 0]
  const [bx, by] = next.before ?? [0, 0]
  if (!ax && !ay && !bx && !by) return { x: here.x + t * (next.x - here.x), y: here.y + t * (next.y - here.y) }
  const [p, q, r, s] = [(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t ** 3]
  return {
    x: p * here.x + q * (here.x + ax) + r * (next.x + bx) + s * next.x,
    y: p * here.y + q * (here.y + ay) + r * (next.y + by) + s * next.y,
  }
}

/** The outline moved along its normals, for showing how far softness reaches. */
export function offset(points: Point[], by: number): Point[] {
  const turning = points.reduce((sum, p, i) => {
    const q = points[(i + 1) % points.length]
    return sum + p.x * q.y - q.x * p.y
  }, 0)
  const way = turning > 0 ? by : -by
  return points.map((here, i) => {
    const before = points[(i + points.length - 1) % points.length]
    const after = points[(i + 1) % points.length]
    const [x, y] = [after.x - before.x, after.y - before.y]
    const length = Math.hypot(x, y) || 1
    return { x: here.x + (y / length) * way, y: here.y - (x / length) * way }
  })
}

export function line(points: Point[], closed = true): string {
  if (!points.length) return ''
  return points.map(({ x, y }, i) => `${i ? 'L' : 'M'}${x.toFixed(2)} ${y.toFixed(2)}`).join('') + (closed ? 'Z' : '')
}
