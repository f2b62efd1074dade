// Matrices and outlines by their own laws; tests/browser/test_same_geometry.py compares them with the server's.
import { describe, expect, it } from 'vitest'
import type { Placed, Shape } from '../src/api/types'
import {
  along,
  apply,
  carry,
  circle,
  IDENTITY,
  inverse,
  line,
  matrixOf,
  offset,
  type Matrix,
} from '../src/viewer/geometry'
import { contour } from '../src/shapes'
import { mapping, toSource } from '../src/viewer/mapping'

const close = (one: { x: number; y: number }, other: { x: number; y: number }) => {
  expect(one.x).toBeCloseTo(other.x, 6)
  expect(one.y).toBeCloseTo(other.y, 6)
}
const pose = { x: 100, y: 50, rx: 30, ry: 20, rotation: 25, shear: 10 }
const leaning: Matrix = [1.1, 0.1, 5, -0.2, 0.9, 7, 0.0004, -0.0002, 1]

describe('matrices', () => {
  it('are undone by their inverse', () => {
    for (const point of [{ x: 0, y: 0 }, { x: 640, y: 360 }, pose])
      close(apply(inverse(leaning), apply(leaning, point)), point)
  })
  it('stretch the unit square to a pose', () => {
    close(apply(matrixOf(pose), { x: 0, y: 0 }), pose)
    const plain = matrixOf({ ...pose, rotation: 0, shear: 0 })
    close(apply(plain, { x: 1, y: -1 }), { x: 130, y: 30 })
  })
  it('carry a pose as they carry its middle', () => {
    close(carry(pose, IDENTITY), pose)
    close(carry(pose, leaning), apply(leaning, pose))
    const turned = carry(pose, [0, -1, 0, 1, 0, 0, 0, 0, 1])
    expect(turned.rotation).toBeCloseTo(115)
    expect([turned.rx, turned.ry, turned.shear]).toEqual([30, 20, 10].map((value) => expect.closeTo(value, 6)))
  })
})

describe('outlines', () => {
  it('of an ellipse lie on it', () => {
    const shape = { kind: 'ellipse' } as Shape
    for (const point of contour(shape, { ...pose, rotation: 0, shear: 0 }, null, 0))
      expect(((point.x - 100) / 30) ** 2 + ((point.y - 50) / 20) ** 2).toBeCloseTo(1, 9)
  })
  it('of a curved side pass through both of its ends', () => {
    const here = { x: 0, y: 0, before: [0, 0] as [number, number], after: [1, 2] as [number, number] }
    const next = { x: 3, y: 1, before: [-1, 1] as [number, number], after: [0, 0] as [number, number] }
    close(along(here, next, 0), here)
    close(along(here, next, 1), next)
  })
  it('move outwards whichever way round they go', () => {
    for (const points of [circle(90), circle(90).reverse()])
      for (const point of offset(points, 0.5)) expect(Math.hypot(point.x, point.y)).toBeCloseTo(1.5, 2)
  })
  it('without points are no path that a browser would complain of', () => {
    expect(line([])).toBe('')
    expect(
      line([
        { x: 1, y: 2 },
        { x: 3, y: 4 },
      ]),
    ).toBe('M1.00 2.00L3.00 4.00Z')
  })
})

describe('where a clip lies in the sequence', () => {
  const clip = { width: 1280, height: 720 }
  it('is scaled to fit and centred', () => {
    const map = mapping({ width: 1920, height: 1920 }, clip)
    close(apply(map, { x: 0, y: 0 }), { x: 0, y: 420 })
    close(apply(map, { x: 1280, y: 720 }), { x: 1920, y: 1500 })
  })
  it('is cut by the pixel that makes it odd, not scaled', () => {
    expect(mapping({ width: 1280, height: 720 }, { width: 1281, height: 721 })).toEqual(IDENTITY)
  })
  it('is the way back of where it is placed', () => {
    const place = { x: 30, y: -40, scale: 1.5, rotation: 20, opacity: 1 } as unknown as Placed
    const map = mapping({ width: 1920, height: 1080 }, clip, place, 0)
    close(toSource(map, apply(map, { x: 300, y: 200 })), { x: 300, y: 200 })
    close(apply(map, { x: 640, y: 360 }), { x: 990, y: 500 })
  })
})
