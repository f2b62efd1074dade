// A lane: the state of a region at every frame, by pattern as well as by colour.
import type { RegionLane } from '../api/types'

export interface Ink {
  tint: string
  ground: string
  text: string
  doubt: string
}
/** Where source frames lie on the lane: left edge of the frame, in CSS pixels. */
export type Place = (source: number) => number

/** Set up a canvas for its size in CSS pixels. */
export function surface(canvas: HTMLCanvasElement, width: number, height: number): CanvasRenderingContext2D | null {
  const ratio = window.devicePixelRatio
  canvas.width = Math.max(1, Math.round(width * ratio))
  canvas.height = Math.max(1, Math.round(height * ratio))
  const pen = canvas.getContext('2d')
  pen?.setTransform(ratio, 0, 0, ratio, 0, 0)
  return pen
}

export function drawLane(pen: CanvasRenderingContext2D, height: number, lane: RegionLane, place: Place, ink: Ink) {
  const top = 6
  const tall = height - 12
  for (const run of lane.runs) {
    const left = place(run.first)
    const wide = Math.max(place(run.last + 1) - left, 1)
    if (run.state === 'sure') {
      pen.fillStyle = ink.tint
      pen.fillRect(left, top, wide, tall)
    } else if (run.state === 'guess') hatch(pen, left, top, wide, tall, ink.tint)
    else if (run.state === 'empty') {
      pen.strokeStyle = ink.text
      pen.setLineDash([1, 4])
      pen.beginPath()
      pen.moveTo(left, top + tall)
      pen.lineTo(left + wide, top + tall)
      pen.stroke()
      pen.setLineDash([])
    } else for (let frame = run.first; frame <= run.last; frame += 1) tick(pen, place, frame, height, ink)
  }
  if (lane.filled) drawFilled(pen, height, lane.filled, place, ink)
  for (const doubt of lane.doubts) notch(pen, place(doubt.first), place(doubt.last + 1), height, ink)
}

const BAND = 5 // pixels of the line that says how a region is filled

/** How a region is filled: solid from other frames, hatched where a part is invented, dotted as before it was changed. */
function drawFilled(
  pen: CanvasRenderingContext2D,
  height: number,
  runs: NonNullable<RegionLane['filled']>,
  place: Place,
  ink: Ink,
) {
  const top = height - BAND - 8
  for (const run of runs) {
    const left = place(run.first)
    const wide = Math.max(place(run.last + 1) - left, 1)
    pen.fillStyle = ink.ground
    pen.fillRect(left, top - 1, wide, BAND + 2)
    if (run.state === 'invented') hatch(pen, left, top, wide, BAND, ink.text)
    else if (run.state === 'seen') {
      pen.fillStyle = ink.text
      pen.fillRect(left, top, wide, BAND)
    } else {
      pen.strokeStyle = ink.text
      pen.setLineDash([2, 4])
      pen.beginPath()
      pen.moveTo(left, top + BAND / 2)
      pen.lineTo(left + wide, top + BAND / 2)
      pen.stroke()
      pen.setLineDash([])
    }
  }
}

const REST = 5 // pixels of a lane above and beneath the line of a strength

/** Where a strength lies on a lane, in pixels from its top. */
export const strengthAt = (value: number, height: number) => height - REST - value * (height - 2 * REST)

/** The strength at a place of a lane, 0..1. */
export const strengthOf = (y: number, height: number) =>
  Math.min(Math.max((height - REST - y) / (height - 2 * REST), 0), 1)

/** How strong a look is over time, with its keys, 0 at the bottom of the lane and full at its top; on any ground. */
export function drawStrength(
  pen: CanvasRenderingContext2D,
  height: number,
  strength: (frame: number) => number,
  frames: number[],
  place: Place,
  width: number,
) {
  const x = (frame: number) => (place(frame) + place(frame + 1)) / 2
  const y = (frame: number) => strengthAt(strength(frame), height)
  pen.beginPath()
  pen.moveTo(0, y(frames[0]))
  for (let frame = frames[0]; frame <= frames[frames.length - 1]; frame += 1) pen.lineTo(x(frame), y(frame))
  pen.lineTo(width, y(frames[frames.length - 1]))
  for (const [colour, wide] of [
    ['#000c', 4],
    ['#fff', 1.6],
  ] as const) {
    pen.strokeStyle = colour
    pen.lineWidth = wide
    pen.stroke()
  }
  pen.fillStyle = '#fff'
  pen.strokeStyle = '#000c'
  pen.lineWidth = 1
  for (const frame of frames) {
    pen.fillRect(x(frame) - 3, y(frame) - 3, 6, 6)
    pen.strokeRect(x(frame) - 3, y(frame) - 3, 6, 6)
  }
}

function hatch(pen: CanvasRenderingContext2D, left: number, top: number, wide: number, tall: number, tint: string) {
  pen.save()
  pen.beginPath()
  pen.rect(left, top, wide, tall)
  pen.clip()
  pen.strokeStyle = tint
  pen.lineWidth = 1
  pen.beginPath()
  for (let x = Math.floor((left - tall) / 6) * 6; x < left + wide; x += 6) {
    pen.moveTo(x, top + tall)
    pen.lineTo(x + tall, top)
  }
  pen.stroke()
  pen.strokeRect(left + 0.5, top + 0.5, wide - 1, tall - 1)
  pen.restore()
}

function tick(pen: CanvasRenderingContext2D, place: Place, frame: number, height: number, ink: Ink) {
  const left = place(frame)
  const wide = Math.max(place(frame + 1) - left, 1)
  pen.fillStyle = ink.tint
  pen.fillRect(left, 6, wide, height - 12)
  const middle = left + wide / 2
  pen.fillStyle = ink.ground
  pen.fillRect(middle - 3, 2, 6, height - 4)
  pen.fillStyle = ink.text
  pen.fillRect(middle - 1.5, 2, 3, height - 4)
}

function notch(pen: CanvasRenderingContext2D, left: number, right: number, height: number, ink: Ink) {
  const wide = Math.max(right - left, 2)
  const middle = left + wide / 2
  pen.fillStyle = ink.doubt
  pen.strokeStyle = ink.ground
  pen.lineWidth = 1.5
  pen.beginPath()
  pen.moveTo(middle - 5.5, 0.5)
  pen.lineTo(middle + 5.5, 0.5)
  pen.lineTo(middle, 10)
  pen.closePath()
  pen.fill()
  pen.stroke()
  pen.fillRect(left, height - 4, wide, 3)
}
