import { expect, it } from 'vitest'
import { Latest } from '../src/viewer/latest'

function gate() {
  const asked: { wish: number; done: () => void; fail: () => void }[] = []
  const latest = new Latest<number>(
    (wish) => new Promise<void>((done, fail) => asked.push({ wish, done, fail: () => fail(new Error('away')) })),
  )
  return { asked, latest }
}
const turn = () => new Promise<void>((next) => setTimeout(next))

it('asks one at a time, and then for the newest wish only', async () => {
  const { asked, latest } = gate()
  for (const wish of [1, 2, 3, 4]) latest.want(wish)
  expect(asked.map((one) => one.wish)).toEqual([1])
  asked[0].done()
  await turn()
  expect(asked.map((one) => one.wish)).toEqual([1, 4])
})

it('goes on after a request that failed', async () => {
  const { asked, latest } = gate()
  latest.want(1)
  asked[0].fail()
  await turn()
  latest.want(2)
  expect(asked.map((one) => one.wish)).toEqual([1, 2])
})
