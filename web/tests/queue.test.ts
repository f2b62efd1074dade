import { describe, expect, it } from 'vitest'
import { editQueue } from '../src/state/queue'

class Stale extends Error {}

function queue() {
  let revision = 0
  const renewed: number[] = []
  const edits = editQueue(
    (error) => error instanceof Stale,
    async () => void renewed.push((revision += 1)),
  )
  return { edits, renewed, at: () => revision }
}

describe('edits', () => {
  it('follow one another, however long the first one takes', async () => {
    const { edits } = queue()
    const done: string[] = []
    let finish = () => {}
    const first = edits.put(() => new Promise<void>((end) => (finish = end)).then(() => void done.push('first')))
    const second = edits.put(async () => void done.push('second'))
    await Promise.resolve()
    expect(done).toEqual([])
    finish()
    await Promise.all([first, second])
    expect(done).toEqual(['first', 'second'])
  })

  it('are made again on the newer state that they met', async () => {
    const { edits, renewed, at } = queue()
    const seen: number[] = []
    const answer = await edits.put(async () => {
      seen.push(at())
      if (at() < 2) throw new Stale()
      return at()
    })
    expect(answer).toBe(2)
    expect(seen).toEqual([0, 1, 2])
    expect(renewed).toEqual([1, 2])
  })

  it('give up where others are always quicker', async () => {
    const { edits, renewed } = queue()
    let tries = 0
    const run = async () => {
      tries += 1
      throw new Stale()
    }
    await expect(edits.put(run)).rejects.toThrow(Stale)
    expect([tries, renewed.length]).toEqual([4, 3])
  })

  it('are not made again where they are wrong, and hold up nobody', async () => {
    const { edits, renewed } = queue()
    const wrong = edits.put(async () => {
      throw new Error('The shape was deleted in another window.')
    })
    const next = edits.put(async () => 'made')
    await expect(wrong).rejects.toThrow('deleted')
    expect(await next).toBe('made')
    expect(renewed).toEqual([])
  })
})
