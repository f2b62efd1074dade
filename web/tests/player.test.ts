import { afterEach, expect, test, vi } from 'vitest'
import { Player } from '../src/viewer/player'
import type { PictureRequest } from '../src/api/types'

/** Sound as a browser has it: once closed, it cannot go on. */
class Sound {
  state = 'suspended'
  resume = vi.fn(() =>
    this.state === 'closed' ? Promise.reject(new Error('Cannot resume a closed AudioContext.')) : Promise.resolve(),
  )
  close() {
    this.state = 'closed'
    return Promise.resolve()
  }
}

class Socket {
  static readonly OPEN = 1
  static last: Socket
  onmessage: (event: { data: ArrayBuffer }) => Promise<void> = () => Promise.resolve()
  constructor() {
    Socket.last = this
  }
  send() {}
  close() {}
}

afterEach(() => vi.unstubAllGlobals())

test('playback that is stopped before its sound has come ends quietly', async () => {
  let come: (answer: Response) => void = () => {}
  const sounds: Sound[] = []
  vi.stubGlobal('AudioContext', function () {
    sounds.push(new Sound())
    return sounds[0]
  })
  vi.stubGlobal('WebSocket', Socket)
  vi.stubGlobal('location', { protocol: 'http:', host: 'here' })
  vi.stubGlobal('fetch', () => new Promise<Response>((done) => (come = done)))
  vi.stubGlobal('createImageBitmap', () => Promise.resolve({ close() {} }))

  const player = new Player('film', { frame: 0 } as PictureRequest, 1, 25, { frame() {}, end() {} })
  const started = Socket.last.onmessage({ data: new ArrayBuffer(8) })
  await Promise.resolve()
  player.stop()
  come(new Response(''))
  await started
  expect(sounds[0].resume).not.toHaveBeenCalled()
})
