// The one place where pixels of the piece's frame and pixels of a clip meet, as the server lays them.
import type { Placed } from '../api/types'
import { valueAt } from '../state/numbers'
import { apply, inverse, type Matrix } from './geometry'

export interface Size {
  width: number
  height: number
}
export interface Point {
  x: number
  y: number
}

/** Pixels of a clip to those of the piece, on a frame of an item that is placed. */
export function mapping(piece: Size, clip: Size, place: Placed | null = null, at = 0): Matrix {
  const lies = (name: keyof Placed, otherwise: number) => (place ? valueAt(place[name], at) : otherwise)
  const [x, y, grown, turn] = [lies('x', 0), lies('y', 0), lies('scale', 1), lies('rotation', 0)]
  const over = { x: clip.width - piece.width, y: clip.height - piece.height }
  // A clip one pixel larger than an even frame is cut by that pixel, not scaled.
  const cut = over.x >= 0 && over.x <= 1 && over.y >= 0 && over.y <= 1
  if (cut && !x && !y && grown === 1 && !turn) return [1, 0, 0, 0, 1, 0, 0, 0, 1]
  const scale = grown * Math.min(piece.width / clip.width, piece.height / clip.height)
  const [a, b] = [scale * Math.cos((turn * Math.PI) / 180), scale * Math.sin((turn * Math.PI) / 180)]
  const [w, h] = [clip.width / 2, clip.height / 2]
  return [a, -b, piece.width / 2 + x - a * w + b * h, b, a, piece.height / 2 + y - b * w - a * h, 0, 0, 1]
}

export function toSource(map: Matrix, piece: Point): Point {
  return apply(inverse(map), piece)
}
