import { describe, expect, it, vi } from 'vitest'
import type { Work } from '../src/api/types'
import { lengthOf, sizeOf, spanOf, when } from '../src/parts/words'

vi.mock('../src/api/news', () => ({ listen: () => () => {} }))
const { about, standing, timeLeft } = await import('../src/state/work')

const work = (more: Partial<Work>): Work => ({ state: 'waiting', detail: {}, label: 'Following', ...more }) as Work

describe('sizes, lengths and spans', () => {
  it('are said in the unit that leaves few digits', () => {
    expect([1, 999, 1_000, 950_000].map(sizeOf)).toEqual(['1 kB', '1 kB', '1 kB', '950 kB'])
    expect([1e6, 12.34e6, 1.5e9].map(sizeOf)).toEqual(['1.0 MB', '12.3 MB', '1.50 GB'])
    expect([0.04, 5, 59.94].map(lengthOf)).toEqual(['0 s', '5 s', '59.9 s'])
    expect([60, 61.4, 3599.6, 3725].map(lengthOf)).toEqual(['1 min 0 s', '1 min 1 s', '1 h 0 min 0 s', '1 h 2 min 5 s'])
  })

  it('of one frame are one frame', () => {
    expect(spanOf({ first: 7, last: 7 })).toBe('frame 7')
    expect(spanOf({ first: 7, last: 9 })).toBe('frames 7–9')
  })

  it('in time are counted from now', () => {
    const ago = (minutes: number) => new Date(Date.now() - 60_000 * minutes).toISOString()
    expect(when(ago(0))).toBe('just now')
    expect(when(ago(5))).toBe('5 min ago')
    expect(when(ago(60 * 24 * 40))).not.toContain('today')
  })
})

describe('work', () => {
  it('that waits says for what, or how much comes before it', () => {
    expect(standing(work({ detail: { waits_for: 'Cutting out' } }))).toBe('waits for: Cutting out')
    expect(standing(work({ place: 0 }))).toBe('next in line')
    expect(standing(work({ place: 3 }))).toBe('3 before it')
    expect(standing(work({ place: null }))).toBe('waiting')
  })

  it('that runs says how long it takes, as soon as that is known', () => {
    expect(standing(work({ state: 'running', left: null }))).toBe('starting')
    expect(standing(work({ state: 'running', left: 0.2 }))).toBe('about 1 s left')
    expect(timeLeft(work({ left: 89.6 }))).toBe('about 90 s left')
    expect(timeLeft(work({ left: 150 }))).toBe('about 3 min left')
  })

  it('says once what it is about', () => {
    const detail = { shot_name: 'Conductor', region_name: 'Face' }
    expect(about(work({ project_name: 'Open day', detail }))).toBe('Open day · Conductor · Face')
    expect(about(work({ project_name: null, label: 'Following Face', detail }))).toBe('Conductor')
  })
})
