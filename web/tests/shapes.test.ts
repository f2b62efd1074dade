import { describe, expect, it } from 'vitest'
import type { OutlinePoint, Shape } from '../src/api/types'
import { contour, shapeKind, SHAPES } from '../src/shapes'

const pose = { x: 100, y: 50, rx: 30, ry: 20, rotation: 0, shear: 0 }
const corner = (x: number, y: number): OutlinePoint => ({ x, y, before: [0, 0], after: [0, 0] })
const square = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)]

describe('the kinds of shapes', () => {
  it('are found, each with a key of its own, in the order in which they are offered', () => {
    expect(SHAPES.map((one) => one.kind)).toEqual(['ellipse', 'rectangle', 'path', 'horizon'])
    expect(new Set(SHAPES.map((one) => one.key)).size).toBe(SHAPES.length)
    expect(shapeKind('faces')).toBeUndefined()
    expect(shapeKind(undefined)).toBeUndefined()
  })

  it('know whether they go from border to border', () => {
    expect(SHAPES.filter((one) => one.endless).map((one) => one.kind)).toEqual(['horizon'])
    expect(shapeKind('horizon')?.numbers).toEqual(['x', 'y', 'rotation'])
  })
})

describe('an outline', () => {
  it('of a rectangle goes through its corners', () => {
    const shape = { kind: 'rectangle', rounding: 0 } as unknown as Shape
    expect(contour(shape, pose, square, 0)).toEqual([
      { x: 70, y: 30 },
      { x: 130, y: 30 },
      { x: 130, y: 70 },
      { x: 70, y: 70 },
    ])
  })

  it('of a rounded rectangle stays inside it and touches its sides', () => {
    const shape = { kind: 'rectangle', rounding: 10 } as unknown as Shape
    const points = contour(shape, pose, square, 0)
    expect(points.length).toBe(36)
    expect(Math.min(...points.map(({ x }) => x))).toBeCloseTo(70)
    expect(Math.max(...points.map(({ y }) => y))).toBeCloseTo(70)
    // Each corner is a quarter of a circle of that radius.
    for (const { x, y } of points.slice(0, 9)) expect(Math.hypot(x - 80, y - 40)).toBeCloseTo(10)
  })

  it('is rounded no farther than to the middle of its sides', () => {
    const shape = { kind: 'rectangle', rounding: 500 } as unknown as Shape
    const points = contour(shape, pose, square, 0)
    expect(Math.min(...points.map(({ y }) => y))).toBeCloseTo(30)
    expect(points.some(({ x, y }) => Math.hypot(x - 70, y - 30) < 5)).toBe(false)
  })

  it('of a path follows its curves', () => {
    const shape = { kind: 'path' } as Shape
    expect(contour(shape, pose, square, 0)).toHaveLength(4)
    const bent = [{ ...square[0], after: [0.5, -1] as [number, number] }, ...square.slice(1)]
    const points = contour(shape, pose, bent, 0)
    expect(points.length).toBeGreaterThan(20)
    expect(Math.min(...points.map(({ y }) => y))).toBeLessThan(30)
  })

  it('of a horizon goes through its middle, as it is turned', () => {
    const [from, to] = contour({ kind: 'horizon' } as Shape, { ...pose, rotation: 30 }, null, 0)
    expect((from.x + to.x) / 2).toBeCloseTo(100)
    expect((from.y + to.y) / 2).toBeCloseTo(50)
    expect((to.y - from.y) / (to.x - from.x)).toBeCloseTo(Math.tan(Math.PI / 6))
  })
})

describe('what is dragged open', () => {
  it('is an ellipse in its box, or a line', () => {
    const [from, to] = [
      { x: 0, y: 0 },
      { x: 40, y: 20 },
    ]
    for (const { x, y } of shapeKind('ellipse')!.sketch!(from, to))
      expect(((x - 20) / 20) ** 2 + ((y - 10) / 10) ** 2).toBeCloseTo(1)
    expect(shapeKind('horizon')!.sketch!(from, to)).toEqual([from, to])
    expect(shapeKind('rectangle')!.sketch).toBeUndefined()
  })
})
