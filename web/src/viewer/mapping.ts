// The one place where pixels of the piece's frame and pixels of a clip meet, as the server lays them.
export interface Size {
  width: number
  height: number
}
export interface Point {
  x: number
  y: number
}
/** piece = source * scale + (left, top) */
export interface Mapping {
  scale: number
  left: number
  top: number
}

export function mapping(piece: Size, clip: Size): Mapping {
  const over = { x: clip.width - piece.width, y: clip.height - piece.height }
  // A clip one pixel larger than an even frame is cut by that pixel, not scaled.
  if (over.x >= 0 && over.x <= 1 && over.y >= 0 && over.y <= 1) return { scale: 1, left: 0, top: 0 }
  const scale = Math.min(piece.width / clip.width, piece.height / clip.height)
  return { scale, left: (piece.width - clip.width * scale) / 2, top: (piece.height - clip.height * scale) / 2 }
}

export function toSource(map: Mapping, piece: Point): Point {
  return { x: (piece.x - map.left) / map.scale, y: (piece.y - map.top) / map.scale }
}
