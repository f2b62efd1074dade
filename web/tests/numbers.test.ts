// Keyed numbers as the server has them: tests/core/test_document.py holds its side.
import { describe, expect, it } from 'vitest'
import type { Keyed, Shape } from '../src/api/types'
import {
  easeAt,
  framesPerSecond,
  hasKey,
  keyedFrames,
  pointsAt,
  poseAt,
  tickedOutline,
  ticked,
  tickOf,
  valueAt,
  withKey,
  withOutline,
  withoutKey,
  withValue,
} from '../src/state/numbers'

const keyed = (...keys: [number, number, ('linear' | 'smooth' | 'hold')?][]): Keyed => ({
  keys: keys.map(([frame, value, ease = 'linear']) => ({ frame, value, ease })),
})
const square = [
  [-1, -1],
  [1, -1],
  [1, 1],
  [-1, 1],
].map(([x, y]) => ({ x, y, before: [0, 0] as [number, number], after: [0, 0] as [number, number] }))

describe('values over time', () => {
  it('are held before the first and after the last key, and pass through each', () => {
    const number = keyed([10, 1], [20, 3], [30, -2])
    expect([0, 10, 20, 30, 99].map((frame) => valueAt(number, frame))).toEqual([1, 1, 3, -2, -2])
  })
  it('go straight, wait, or ease in and out', () => {
    expect(valueAt(keyed([0, 0], [10, 5]), 4)).toBeCloseTo(2)
    expect(valueAt(keyed([0, 0, 'hold'], [10, 5]), 9)).toBe(0)
    expect(valueAt(keyed([0, 0, 'smooth'], [10, 5]), 5)).toBeCloseTo(2.5)
    expect(valueAt(keyed([0, 0, 'smooth'], [10, 5]), 1)).toBeLessThan(0.5)
  })
  it('never leave the range of two smooth keys', () => {
    const number = keyed([0, 0, 'smooth'], [5, 10, 'smooth'], [6, 10, 'smooth'], [20, 0])
    for (let frame = 0; frame <= 20; frame += 0.25) {
      expect(valueAt(number, frame)).toBeGreaterThanOrEqual(0)
      expect(valueAt(number, frame)).toBeLessThanOrEqual(10)
    }
  })
})

describe('setting by hand', () => {
  it('replaces a plain number, and adds a key in order to a keyed one', () => {
    expect(withValue(3, 10, 4)).toBe(4)
    expect(withValue(keyed([20, 1]), 10, 4)).toEqual(keyed([10, 4], [20, 1]))
  })
  it('keeps the ease of the key it replaces', () => {
    expect(withKey(keyed([10, 1, 'hold']), 10, 7)).toEqual(keyed([10, 7, 'hold']))
  })
  it('is taken back to a plain number when the last key goes', () => {
    expect(withoutKey(keyed([10, 1], [20, 2]), 10)).toEqual(keyed([20, 2]))
    expect(withoutKey(keyed([10, 1]), 10)).toBe(1)
    expect(withoutKey(5, 10)).toBe(5)
  })
  it('is ticked on and off without moving anything on its frame', () => {
    const number = keyed([0, 0], [10, 10])
    const once = ticked(number, 4)
    expect(hasKey(once, 4)).toBe(true)
    expect(valueAt(once, 4)).toBeCloseTo(valueAt(number, 4))
    expect(ticked(once, 4)).toEqual(number)
    expect([tickOf(once, 4), tickOf(once, 5), tickOf(3, 5)]).toEqual(['here', 'keyed', 'plain'])
  })
})

describe('outlines', () => {
  it('blend point by point', () => {
    const other = square.map((point) => ({ ...point, x: point.x + 2 }))
    const outline = withOutline(withOutline(tickedOutline(square, 0), 0, square), 10, other)
    expect(pointsAt(outline, 5).map((point) => point.x)).toEqual([0, 2, 2, 0])
  })
  it('are plain again when nothing is set by hand', () => {
    const once = tickedOutline(square, 7)
    expect(tickedOutline(once, 7)).toEqual(square)
  })
})

describe('shapes', () => {
  const shape = {
    kind: 'rectangle',
    points: { keys: [{ frame: 3, points: square, ease: 'smooth' }] },
    x: keyed([10, 1], [20, 2, 'hold']),
    y: 5,
    rx: keyed([10, -4]),
    ry: 2,
    rotation: 0,
    shear: 0,
  } as unknown as Shape
  it('never have a size of nothing', () => {
    expect(poseAt(shape, 10)).toMatchObject({ x: 1, y: 5, rx: 0.01, ry: 2 })
  })
  it('say on which frames they were set, and how they go on', () => {
    expect(keyedFrames(shape)).toEqual([3, 10, 20])
    expect([easeAt(shape, 3), easeAt(shape, 20), easeAt(shape, 9)]).toEqual(['smooth', 'hold', 'linear'])
  })
})

it('a rate is a fraction', () => {
  expect(framesPerSecond('30000/1001')).toBeCloseTo(29.97, 2)
  expect(framesPerSecond('25')).toBe(25)
})
