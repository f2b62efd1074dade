// Timecode as SMPTE ST 12-1 counts it, and source frames as runs.
import { describe, expect, it } from 'vitest'
import { frameOf, framesOf, sourceAt } from '../src/state/sources'
import { timecode } from '../src/state/timecode'

describe('timecode', () => {
  it('drops numbers at 29.97 so that ten minutes are ten minutes', () => {
    const known = {
      0: '00:00:00;00',
      1799: '00:00:59;29',
      1800: '00:01:00;02',
      17981: '00:09:59;29',
      17982: '00:10:00;00',
    }
    for (const [frame, text] of Object.entries(known)) expect(timecode(Number(frame), '30000/1001')).toBe(text)
    expect(timecode(6 * 17982, '30000/1001')).toBe('01:00:00;00')
  })
  it('drops twice as many at 59.94', () => {
    expect(timecode(3600, '60000/1001')).toBe('00:01:00;04')
    expect(timecode(35964, '60000/1001')).toBe('00:10:00;00')
  })
  it('drops nothing at whole rates and at 23.976', () => {
    expect(timecode(25 * 60, '25')).toBe('00:01:00:00')
    expect(timecode(24 * 3600 + 5, '24000/1001')).toBe('01:00:00:05')
  })
})

describe('source frames', () => {
  const list = [0, 1, 2, 3, 3, 4, 4, 5, 7, 9]
  const runs = [
    { frames: 4, source: 0, step: 1 },
    { frames: 2, source: 3, step: 1 },
    { frames: 2, source: 4, step: 1 },
    { frames: 2, source: 7, step: 2 },
  ]
  it('are those of a list', () => {
    expect(framesOf(runs)).toBe(list.length)
    expect(list.map((_, i) => sourceAt(runs, i))).toEqual(list)
    expect([sourceAt(runs, -1), sourceAt(runs, 10), sourceAt([], 0)]).toEqual([undefined, undefined, undefined])
  })
  it('are found again, forwards and backwards', () => {
    for (const source of [0, 2, 3, 4, 6, 8, 9])
      expect(frameOf(runs, source)).toBe(list.findIndex((one) => one >= source))
    expect(frameOf(runs, 10)).toBe(-1)
    const back = [{ frames: 5, source: 9, step: -2 }]
    expect([9, 8, 7, 1, 0].map((source) => frameOf(back, source, true))).toEqual([0, 1, 1, 4, -1])
    expect(frameOf([{ frames: 3, source: 6, step: 0 }], 6)).toBe(0)
  })
})
