// Numbers and outlines of the document as they stand on a frame. The server computes the same for pictures.
import type { Ease, Keyed, Outline, OutlinePoint, Part, Pose, Region, Shape } from '../api/types'

interface AnyKey {
  frame: number
  ease: Ease
}

const POSE = ['x', 'y', 'rx', 'ry', 'rotation', 'shear'] as const

/** The value on a source frame. */
export function valueAt(number: number | Keyed, frame: number): number {
  return typeof number === 'number' ? number : between(number.keys, (key) => [key.value], frame)[0]
}

/** The number with another value: a plain one is replaced, a keyed one gets a key on the frame. */
export function withValue(number: number | Keyed, frame: number, value: number): number | Keyed {
  return typeof number === 'number' ? value : withKey(number, frame, value)
}

/** The number with a key on the frame, whether or not it had any. */
export function withKey(number: number | Keyed, frame: number, value: number): Keyed {
  const keys = typeof number === 'number' ? [] : number.keys
  const ease = keys.find((key) => key.frame === frame)?.ease ?? 'linear'
  const others = keys.filter((key) => key.frame !== frame)
  return { keys: [...others, { frame, value, ease }].sort((a, b) => a.frame - b.frame) }
}

/** The outline with other points: a plain one is replaced, a keyed one gets a key on the frame. */
export function withOutline(outline: Outline, frame: number, points: OutlinePoint[]): Outline {
  if (Array.isArray(outline)) return points
  const ease = outline.keys.find((key) => key.frame === frame)?.ease ?? 'linear'
  const others = outline.keys.filter((key) => key.frame !== frame)
  return { keys: [...others, { frame, points, ease }].sort((a, b) => a.frame - b.frame) }
}

/** The outline set by hand on a frame, or, where it is, no longer. */
export function tickedOutline(outline: Outline, frame: number): Outline {
  const points = pointsAt(outline, frame)
  if (Array.isArray(outline)) return { keys: [{ frame, points, ease: 'linear' }] }
  if (!hasKey(outline, frame)) return withOutline(outline, frame, points)
  const keys = outline.keys.filter((key) => key.frame !== frame)
  return keys.length ? { keys } : points
}

/** The number without its key on the frame; without keys it is plain again. */
export function withoutKey(number: number | Keyed, frame: number): number | Keyed {
  if (typeof number === 'number') return number
  const keys = number.keys.filter((key) => key.frame !== frame)
  return keys.length ? { keys } : valueAt(number, frame)
}

export function isKeyed(number: unknown): number is Keyed {
  return typeof number === 'object' && number !== null && !Array.isArray(number) && 'keys' in number
}

export function hasKey(number: unknown, frame: number): boolean {
  return isKeyed(number) && number.keys.some((key) => key.frame === frame)
}

/** What the mark beside a number tells of it on a frame. */
export function tickOf(number: unknown, frame: number): 'here' | 'keyed' | 'plain' {
  return hasKey(number, frame) ? 'here' : isKeyed(number) ? 'keyed' : 'plain'
}

/** The number set by hand on a frame, or, where it is, no longer. */
export function ticked(number: number | Keyed, frame: number): number | Keyed {
  return hasKey(number, frame) ? withoutKey(number, frame) : withKey(number, frame, valueAt(number, frame))
}

/** How a shape lies on a frame, before any motion carries it. */
export function poseAt(part: Shape, frame: number): Pose {
  const [x, y, rx, ry, rotation, shear] = POSE.map((name) => valueAt(part[name], frame))
  return { x, y, rx: Math.max(rx, 0.01), ry: Math.max(ry, 0.01), rotation, shear }
}

export function outlineOf(part: Shape): Outline | null {
  return part.kind === 'path' || part.kind === 'rectangle' ? (part.points as Outline) : null
}

/** The points of a path, or the corners of a rectangle, on a frame, in the unit square. */
export function pointsAt(outline: Outline, frame: number): OutlinePoint[] {
  if (Array.isArray(outline)) return outline
  const numbers = (key: { points: OutlinePoint[] }) => key.points.flatMap((p) => [p.x, p.y, ...p.before, ...p.after])
  const flat = between(outline.keys, numbers, frame)
  return outline.keys[0].points.map((_, i) => {
    const [x, y, bx, by, ax, ay] = flat.slice(6 * i, 6 * i + 6)
    return { x, y, before: [bx, by], after: [ax, ay] }
  })
}

/** Whether a part is placed by hand. */
export function isShape(part: Part): part is Shape {
  return 'x' in part
}

/** The parts of a region that are shapes. */
export function shapesOf(region: Region): Shape[] {
  return region.parts.filter(isShape)
}

/** Frames on which place or form was set by hand, ascending. */
export function keyedFrames(part: Shape): number[] {
  const values: unknown[] = [...POSE.map((name) => part[name]), outlineOf(part)]
  const frames = values.flatMap((value) => (isKeyed(value) ? value.keys.map((key) => key.frame) : []))
  return [...new Set(frames)].sort((a, b) => a - b)
}

/** How the shape goes on from a frame that was set by hand. */
export function easeAt(part: Shape, frame: number): Ease {
  const values: unknown[] = [...POSE.map((name) => part[name]), outlineOf(part)]
  for (const value of values) {
    const key = isKeyed(value) ? value.keys.find((one) => one.frame === frame) : undefined
    if (key) return key.ease ?? 'linear'
  }
  return 'linear'
}

function between<K extends AnyKey>(keys: K[], vector: (key: K) => number[], frame: number): number[] {
  const after = keys.findIndex((key) => frame < key.frame)
  if (after === 0 || keys.length === 1) return vector(keys[0])
  if (after < 0) return vector(keys[keys.length - 1])
  const [start, end] = [keys[after - 1], keys[after]]
  const a = vector(start)
  if (start.ease === 'hold') return a
  const b = vector(end)
  const length = end.frame - start.frame
  const t = (frame - start.frame) / length
  if (start.ease !== 'smooth') return a.map((value, i) => value + t * (b[i] - value))
  const [ma, mb] = [slope(keys, vector, after - 1), slope(keys, vector, after)]
  return a.map(
    (value, i) =>
      value * (1 + 2 * t) * (1 - t) ** 2 +
      ma[i] * length * t * (1 - t) ** 2 +
      b[i] * t ** 2 * (3 - 2 * t) +
      mb[i] * length * t ** 2 * (t - 1),
  )
}

function slope<K extends AnyKey>(keys: K[], vector: (key: K) => number[], at: number): number[] {
  const here = vector(keys[at])
  if (at === 0 || at === keys.length - 1) return here.map(() => 0)
  const [before, after] = [vector(keys[at - 1]), vector(keys[at + 1])]
  return here.map((value, i) => {
    const left = (value - before[i]) / (keys[at].frame - keys[at - 1].frame)
    const right = (after[i] - value) / (keys[at + 1].frame - keys[at].frame)
    return left * right > 0 ? (2 * left * right) / (left + right) : 0
  })
}

export function framesPerSecond(rate: string): number {
  const [over, under] = rate.split('/').map(Number)
  return over / (under || 1)
}

/** The id of something new in the document. */
export function newId(): string {
  return crypto.randomUUID().replaceAll('-', '').slice(0, 12)
}
