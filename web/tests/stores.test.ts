// The open project, what is selected in it, and what is known of its frames, against a server that is made up.
import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import type { Lanes, ProjectState } from '../src/api/types'

const server = vi.hoisted(() => ({ get: vi.fn(), post: vi.fn(), said: [] as string[] }))
class Refused extends Error {
  constructor(
    public status: number,
    message: string,
  ) {
    super(message)
  }
}
vi.mock('../src/api/news', () => ({ listen: () => () => {} }))
vi.mock('../src/api/client', () => ({
  api: { GET: server.get, POST: server.post },
  content: (answer: unknown) => answer,
  Refused,
}))
vi.mock('../src/state/say', () => ({
  say: () => ({
    message: { info: (text: string) => server.said.push(text), warning: (text: string) => server.said.push(text) },
  }),
  attempt: async (run: () => Promise<unknown>) => {
    try {
      await run()
      return true
    } catch (error) {
      server.said.push((error as Error).message)
      return false
    }
  },
}))
const { useSession } = await import('../src/state/session')
const { useSelection } = await import('../src/state/selection')
const { useLanes } = await import('../src/state/lanes')

const ellipse = (id: string) => ({ id, kind: 'ellipse', x: 1, y: 2, how: 'add' })
function state(revision: number, more: Partial<ProjectState> = {}): ProjectState {
  const shot = (id: string, start: number) => ({
    id,
    kind: 'shot',
    medium: 'clip',
    start,
    first: 100,
    last: 109,
    motions: [{ id: `${id} motion` }],
    regions: [{ id: `${id} region`, parts: [ellipse(`${id} one`), ellipse(`${id} two`)] }],
  })
  return {
    revision,
    frames: 20,
    created: [],
    undo: null,
    redo: null,
    spans: [
      { shot: 'a', start: 0, length: 10 },
      { shot: 'b', start: 10, length: 10 },
    ],
    document: { name: 'p', rate: '25/1', layers: [{ id: 'l', items: [shot('a', 0), shot('b', 10)] }] },
    ...more,
  } as unknown as ProjectState
}

beforeEach(() => {
  setActivePinia(createPinia())
  server.said.length = 0
  server.get.mockReset()
  server.post.mockReset()
  server.get.mockImplementation(async (path: string) => (path === '/api/projects/{project}' ? state(1) : []))
})

async function opened() {
  const session = useSession()
  await session.open('p')
  return session
}

describe('an edit', () => {
  it('goes to the server as what it changes', async () => {
    const session = await opened()
    server.post.mockResolvedValue(state(2))
    expect(await session.edit('Rename', (document) => (document.name = 'q'))).toBe(true)
    const [path, { body }] = server.post.mock.calls[0]
    expect(path).toBe('/api/projects/{project}/edits')
    expect(body).toEqual({ seen: 1, label: 'Rename', patch: [{ op: 'replace', path: '/name', value: 'q' }] })
    expect(session.state?.revision).toBe(2)
    expect(session.saving).toBe(0)
  })

  it('that changes nothing is not sent', async () => {
    const session = await opened()
    expect(await session.edit('Nothing', () => {})).toBe(true)
    expect(server.post).not.toHaveBeenCalled()
  })

  it('is made again on what another window has done meanwhile', async () => {
    const session = await opened()
    server.get.mockResolvedValue(state(5))
    server.post.mockRejectedValueOnce(new Refused(409, 'changed')).mockResolvedValue(state(6))
    await session.edit('Rename', (document) => (document.name = 'q'))
    expect(server.post.mock.calls.map(([, { body }]) => body.seen)).toEqual([1, 5])
    expect(session.state?.revision).toBe(6)
  })

  it('that is refused is said, and leaves nothing on trial', async () => {
    const session = await opened()
    session.held = { part: 'a one' }
    session.tryOut((document) => (document.name = 'q'))
    server.post.mockRejectedValue(new Refused(422, 'A name is needed.'))
    expect(await session.edit('Rename', (document) => (document.name = ''))).toBe(false)
    expect(server.said).toEqual(['A name is needed.'])
    expect([session.trial, session.held]).toEqual([null, null])
  })

  it('keeps what is on trial until the last answer, not the first', async () => {
    const session = await opened()
    const answers: ((state: ProjectState) => void)[] = []
    server.post.mockImplementation(() => new Promise((answer) => answers.push(answer)))
    const one = session.edit('One', (document) => (document.name = 'one'))
    const two = session.edit('Two', (document) => (document.name = 'two'))
    session.tryOut((document) => (document.name = 'two'))
    await vi.waitUntil(() => answers.length === 1)
    answers[0](state(2))
    await one
    expect(session.trial).not.toBeNull()
    await vi.waitUntil(() => answers.length === 2)
    answers[1](state(3))
    await two
    expect(session.trial).toBeNull()
  })
})

describe('the selection', () => {
  it('is what lies under the playhead, which stays in the sequence', async () => {
    const session = await opened()
    const selection = useSelection()
    expect(selection.shot?.id).toBe('a')
    selection.go(12.4)
    expect([selection.frame, selection.shot?.id]).toEqual([12, 'b'])
    selection.go(99)
    expect(selection.frame).toBe(19)
    server.post.mockResolvedValue(state(2, { frames: 15 }))
    await session.edit('Shorter', (document) => (document.name = 'q'))
    expect(selection.frame).toBe(14)
  })

  it('of a region is its first part, until another is chosen', async () => {
    await opened()
    const selection = useSelection()
    selection.select('a region')
    expect(selection.part?.id).toBe('a one')
    selection.points = [1, 2]
    selection.select('a region', 'a two')
    expect([selection.part?.id, selection.points]).toEqual(['a two', []])
    selection.motionId = 'a motion'
    expect(selection.motion?.id).toBe('a motion')
    selection.select(null)
    expect([selection.region, selection.part, selection.motion]).toEqual([null, null, null])
  })

  it('goes to what the last edit has made', async () => {
    const session = await opened()
    const selection = useSelection()
    session.created = ['a two', 'a motion']
    expect(selection.selectCreated()?.id).toBe('a two')
    expect(selection.regionId).toBe('a region')
    expect(selection.createdMotion()?.id).toBe('a motion')
  })

  it('is empty in another project', async () => {
    const session = await opened()
    const selection = useSelection()
    selection.go(12)
    selection.select('b region')
    await session.open('another')
    expect([selection.frame, selection.regionId]).toEqual([0, null])
  })
})

describe('lanes', () => {
  it('say which source frame is shown, and where one is in the sequence', async () => {
    await opened()
    const [selection, lanes] = [useSelection(), useLanes()]
    selection.go(3)
    expect(lanes.sourceFrame).toBe(103) // before the server has said it
    lanes.of = {
      shot: 'a',
      sources: [{ frames: 5, source: 109, step: -2 }],
      regions: [],
      motions: [],
    } as unknown as Lanes
    expect(lanes.sourceFrame).toBe(103)
    selection.go(1)
    expect(lanes.sourceFrame).toBe(107)
    lanes.of = { ...lanes.of, sources: [{ frames: 5, source: 100, step: 2 }] } as Lanes
    expect([101, 102, 108, 900].map(lanes.sequenceFrame)).toEqual([1, 1, 4, 9])
  })

  it('lead from doubt to doubt, in the order of the frames', async () => {
    await opened()
    const [selection, lanes] = [useSelection(), useLanes()]
    const doubt = (frame: number) => ({ frame, first: frame, last: frame, region: 'a region', reason: `at ${frame}` })
    lanes.of = {
      shot: 'a',
      sources: [{ frames: 10, source: 100, step: 1 }],
      regions: [{ doubts: [doubt(107), doubt(102)] }],
      motions: [],
    } as unknown as Lanes
    await nextTick()
    const seen: number[] = []
    for (const step of [1, 1, 1, -1] as const) {
      lanes.goDoubt(step)
      await vi.waitFor(() => expect(server.said.length).toBe(seen.length + 1))
      seen.push(lanes.sourceFrame)
    }
    expect(seen).toEqual([102, 107, 107, 102])
    expect(server.said[2]).toBe('No further doubt in this direction.')
    expect(selection.regionId).toBe('a region')
  })

  it('lead on into the next shot that has a doubt', async () => {
    server.get.mockImplementation(async (path: string) => {
      if (path === '/api/projects/{project}') return state(1)
      if (path === '/api/projects/{project}/shots')
        return [
          { shot: 'a', start: 0, doubts: 0 },
          { shot: 'b', start: 10, doubts: 1 },
        ]
      return []
    })
    await opened()
    const [selection, lanes] = [useSelection(), useLanes()]
    const doubts = [{ frame: 104, first: 104, last: 104, region: 'b region', reason: 'why' }]
    const known = (shot: string, regions: unknown[]) =>
      ({ shot, sources: [{ frames: 10, source: 100, step: 1 }], regions, motions: [] }) as unknown as Lanes
    lanes.of = known('a', [])
    lanes.goDoubt(1)
    await vi.waitFor(() => expect(selection.shot?.id).toBe('b'))
    lanes.of = known('b', [{ doubts }])
    await vi.waitFor(() => expect(server.said).toEqual(['Region: why']))
    expect(selection.frame).toBe(14)
  })
})
