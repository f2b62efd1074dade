import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { afterwards, toggled, useTool, type Tool } from '../src/state/tool'

const stroke: Tool = { draw: 'stroke', include: false, part: null, into: 'region' }

describe('a tool', () => {
  it('is laid down by asking for it again, and exchanged by asking for another', () => {
    expect(toggled(null, { draw: 'area' })).toEqual({ draw: 'area' })
    expect(toggled({ draw: 'ellipse', into: null }, { draw: 'ellipse', into: 'region' })).toBeNull()
    expect(toggled({ draw: 'ellipse', into: null }, { draw: 'path', into: null })).toEqual({ draw: 'path', into: null })
  })

  it('for one thing is laid down when that is there', () => {
    for (const tool of [
      { draw: 'ellipse', into: null },
      { draw: 'area' },
      { draw: 'face', track: '3' },
      { draw: 'tracker', motion: null },
    ] as Tool[])
      expect(afterwards(tool, 'part')).toBeNull()
    expect(afterwards(null, 'part')).toBeNull()
  })

  it('that lasts goes on with the part that it has made', () => {
    expect(afterwards(stroke, 'part')).toEqual({ draw: 'stroke', include: false, part: 'part', into: null })
    expect(afterwards(stroke)).toEqual(stroke)
    const pick: Tool = { draw: 'pick', include: true, part: 'range', into: null }
    expect(afterwards(pick)).toEqual(pick)
  })
})

describe('the tool in hand', () => {
  beforeEach(() => setActivePinia(createPinia()))

  it('is told apart by what it draws', () => {
    const tools = useTool()
    expect([tools.draw, tools.held('stroke')]).toEqual([null, null])
    tools.take(stroke)
    expect(tools.draw).toBe('stroke')
    expect(tools.held('stroke')?.into).toBe('region')
    expect(tools.held('pick')).toBeNull()
    tools.used('part')
    expect(tools.held('stroke')).toMatchObject({ part: 'part', into: null })
    tools.toggle({ draw: 'rectangle', into: null })
    expect(tools.draw).toBe('rectangle')
    tools.layDown()
    expect(tools.inHand).toBeNull()
  })
})
