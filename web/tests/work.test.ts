import { createPinia, setActivePinia } from 'pinia'
import { expect, it, vi } from 'vitest'
import type { Work } from '../src/api/types'

const server = vi.hoisted(() => ({ tell: (_: unknown) => {}, answer: (_: unknown) => {} }))
vi.mock('../src/api/news', () => ({ listen: (listener: (news: unknown) => void) => (server.tell = listener) }))
vi.mock('../src/api/client', () => ({
  api: { GET: () => new Promise((answer) => (server.answer = answer)) },
  content: (answer: unknown) => answer,
}))
const { useWork } = await import('../src/state/work')

const search = (state: Work['state']) =>
  ({ id: 'w', state, place: null, label: 'Finding', detail: {} }) as unknown as Work
const news = (state: Work['state']) => ({ kind: 'work', id: 'w', work: search(state) })

it('that has ended is not at work again, however late an answer or a piece of news comes', async () => {
  setActivePinia(createPinia())
  const work = useWork()
  server.tell(news('waiting')) // which asks for its place in line
  expect(work.busy).toBe(1)
  server.tell(news('done'))
  expect(work.busy).toBe(0)
  server.answer([search('running')])
  await Promise.resolve()
  await Promise.resolve()
  expect(work.busy).toBe(0)
  server.tell(news('running'))
  expect(work.busy).toBe(0)
})
