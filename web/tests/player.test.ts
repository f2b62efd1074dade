import { afterEach, expect, test, vi } from 'vitest'
import { Player } from '../src/viewer/player'
import type { PictureRequest } from '../src/api/types'

/** Sound that does not begin, until it is closed. */
class Sound {
  end: (error: Error) => void = () => {}
  resume = vi.fn(() => new Promise<void>((_, end) => (this.end = end)))
  close() {
    this.end(new Error('The AudioContext is closed.'))
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

let come: (answer: Response) => void
let sound: Sound

/** Playback whose first picture is there, and what waits for its sound. */
function played(): [Player, Promise<void>] {
  vi.stubGlobal('AudioContext', function () {
    return (sound = new Sound())
  })
  vi.stubGlobal('WebSocket', Socket)
  vi.stubGlobal('location', { protocol: 'http:', host: 'here' })
  vi.stubGlobal('fetch', () => new Promise<Response>((done) => (come = done)))
  vi.stubGlobal('createImageBitmap', () => Promise.resolve({ close() {} }))
  const player = new Player('film', { frame: 0 } as PictureRequest, 1, 25, { frame() {}, end() {} })
  return [player, Socket.last.onmessage({ data: new ArrayBuffer(8) })]
}

test('playback that is stopped before its sound has come ends quietly', async () => {
  const [player, started] = played()
  await Promise.resolve()
  player.stop()
  come(new Response(''))
  await started
  expect(sound.resume).not.toHaveBeenCalled()
})

test('playback that is stopped while its sound begins ends quietly', async () => {
  const [player, started] = played()
  come(new Response(''))
  await vi.waitFor(() => expect(sound.resume).toHaveBeenCalled())
  player.stop()
  await expect(started).resolves.toBeUndefined()
})
