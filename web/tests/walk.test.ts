// First jobs: a step is done when what it asks for is there, and not before.
import { describe, expect, it, vi } from 'vitest'
import type { Region } from '../src/api/types'

vi.mock('../src/api/news', () => ({ listen: () => () => {} }))
vi.mock('../src/api/client', () => ({ api: {}, content: (answer: unknown) => answer }))
const { STEPS, WALKS } = await import('../src/state/walk')

const nothing = { regions: [], titles: 0, computed: [], played: false, checked: false, exported: false }
const region = (parts: object[], outside: string[] = []) =>
  ({ id: 'r', parts, outside: outside.map((kind) => ({ kind })), inside: [] }) as unknown as Region

describe('first jobs', () => {
  it('ask for something at every step, in four to six of them', () => {
    for (const walk of WALKS) {
      expect(STEPS[walk].steps.length).toBeGreaterThanOrEqual(4)
      expect(STEPS[walk].steps.length).toBeLessThanOrEqual(6)
      for (const step of STEPS[walk].steps) expect(step.done(nothing)).toBe(false)
    }
  })

  it('go on when faces are there, and when they are known', () => {
    const [ask, wait] = STEPS['hide faces'].steps
    const found = { ...nothing, regions: [region([{ kind: 'faces' }])] }
    expect(ask.done(found)).toBe(true)
    expect(wait.done(found)).toBe(false)
    expect(wait.done({ ...found, computed: ['r'] })).toBe(true)
  })

  it('want a stroke, not the cut-out alone', () => {
    const [draw] = STEPS['one in colour'].steps
    expect(draw.done({ ...nothing, regions: [region([{ kind: 'cut-out', strokes: [] }])] })).toBe(false)
    expect(draw.done({ ...nothing, regions: [region([{ kind: 'cut-out', strokes: [{}] }])] })).toBe(true)
  })

  it('want the grey outside', () => {
    const grey = STEPS['one in colour'].steps[2]
    expect(grey.done({ ...nothing, regions: [region([], ['blur'])] })).toBe(false)
    expect(grey.done({ ...nothing, regions: [region([], ['desaturate'])] })).toBe(true)
  })
})
