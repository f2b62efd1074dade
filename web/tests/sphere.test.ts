import { describe, expect, it } from 'vitest'
import { apply, inverse, multiplied } from '../src/viewer/geometry'
import { ahead, between, cutAtSeam, directionOf, gazeAt, onWide, planeOf } from '../src/viewer/sphere'

const SPHERE = { width: 1280, height: 640 }
const ONE = { yaw: 170, pitch: 35, roll: 20 }
const OTHER = { yaw: -150, pitch: 10 }

describe('flat pictures of a sphere', () => {
  it('are those of the server', () => {
    // Computed by core/geometry/sphere.py.
    const spot = { x: 400, y: 250 }
    const m = inverse(planeOf(SPHERE, ONE))
    const [x, y, z] = [0, 3, 6].map((i) => m[i] * spot.x + m[i + 1] * spot.y + m[i + 2])
    const length = Math.hypot(x, y, z)
    expect(x / length).toBeCloseTo(-0.31533643341749357, 9)
    expect(y / length).toBeCloseTo(-0.6454610895184153, 9)
    expect(z / length).toBeCloseTo(-0.6956600575548628, 9)
    const seen = apply(between(SPHERE, ONE, OTHER), spot)
    expect(seen.x).toBeCloseTo(302.308928425683, 6)
    expect(seen.y).toBeCloseTo(200.78389791112215, 6)
    const wide = onWide(SPHERE, [x, y, z])
    expect(wide.x).toBeCloseTo(86.69994089785376, 6)
    expect(wide.y).toBeCloseTo(177.06575934435045, 6)
  })

  it('lead there and back', () => {
    const there = multiplied(between(SPHERE, OTHER, ONE), between(SPHERE, ONE, OTHER))
    const back = apply(there, { x: 333, y: 222 })
    expect(back.x).toBeCloseTo(333, 6)
    expect(back.y).toBeCloseTo(222, 6)
  })

  it('know what is behind', () => {
    const across = between(SPHERE, { yaw: 0, pitch: 0 }, { yaw: 180, pitch: 0 })
    expect(ahead(across, { x: 320, y: 320 })).toBeLessThan(0)
    expect(ahead(between(SPHERE, ONE, OTHER), { x: 400, y: 250 })).toBeGreaterThan(0)
  })

  it('have a direction for every pixel of the wide picture', () => {
    const spot = { x: 1111, y: 99 }
    const found = onWide(SPHERE, directionOf(SPHERE, spot))
    expect(found.x).toBeCloseTo(spot.x, 6)
    expect(found.y).toBeCloseTo(spot.y, 6)
    const gaze = gazeAt(directionOf(SPHERE, spot))
    expect(gaze.yaw).toBeCloseTo((1111 / 1280 - 0.5) * 360, 6)
    expect(gaze.pitch).toBeCloseTo((0.5 - 99 / 640) * 180, 6)
  })
})

describe('outlines on the wide picture', () => {
  it('are cut where they cross its border', () => {
    const points = [1200, 1260, 20, 60, 1270].map((x) => ({ x, y: 300 }))
    expect(cutAtSeam(SPHERE, points).map((piece) => piece.map(({ x }) => x))).toEqual([[1200, 1260], [20, 60], [1270]])
  })
})
