// Playback: frames come over a socket in order, sound as WAV; both hang on one clock.
// A frame that is not there in time is left out; another one is never shown in its place.
import type { PictureRequest } from '../api/types'

const READY = 4 // frames waiting before the clock starts
const SOUND_STRETCH = 12 // seconds of sound fetched at a time

export interface Telling {
  frame: (frame: number, picture: ImageBitmap) => void
  end: (problem: string | null) => void
}

export class Player {
  /** Frames shown and frames left out, for the display beside the time. */
  shown = 0
  left = 0
  private readonly socket: WebSocket
  private readonly ready = new Map<number, ImageBitmap>()
  private readonly sound = new AudioContext()
  private began: number | null = null
  private last = -1
  private over = false

  constructor(
    private readonly project: string,
    private readonly wanted: PictureRequest,
    private readonly frames: number,
    private readonly rate: number,
    private readonly tell: Telling,
  ) {
    const scheme = location.protocol === 'https:' ? 'wss' : 'ws'
    this.socket = new WebSocket(`${scheme}://${location.host}/api/projects/${project}/play`)
    this.socket.binaryType = 'arraybuffer'
    const first = this.soundFrom(wanted.frame)
    this.socket.onopen = () => this.socket.send(JSON.stringify(wanted))
    this.socket.onmessage = async (event: MessageEvent<ArrayBuffer>) => {
      const frame = new DataView(event.data).getUint32(0, true)
      const picture = await createImageBitmap(new Blob([new Uint8Array(event.data, 4)]))
      this.ready.set(frame, picture)
      if (this.began === null && (this.ready.size >= READY || frame === frames - 1)) await this.start(first)
    }
    this.socket.onclose = (event) => {
      if (event.code === 4000) this.finish(event.reason)
      else if (this.began === null) this.finish('Playback did not start. Try again.')
    }
  }

  stop() {
    this.finish(null)
  }

  private async start(first: Promise<AudioBuffer | null>) {
    if (this.began !== null || this.over) return
    this.began = Infinity // so that nobody else starts
    const buffer = await first
    if (this.over) return // stopped meanwhile, and its sound closed
    await Promise.race([this.sound.resume().catch(() => {}), new Promise((go) => setTimeout(go, 200))])
    if (this.over) return
    // What is scheduled now is heard after the output's own delay; the picture waits for it.
    this.began = performance.now() + 1000 * (this.sound.outputLatency || 0)
    void this.schedule(buffer, this.wanted.frame, this.sound.currentTime)
    requestAnimationFrame(this.draw)
  }

  private soundFrom(frame: number): Promise<AudioBuffer | null> {
    const count = Math.min(Math.ceil(SOUND_STRETCH * this.rate), this.frames - frame)
    if (count <= 0) return Promise.resolve(null)
    return fetch(`/api/projects/${this.project}/sound?start=${frame}&frames=${count}`)
      .then((answer) => answer.arrayBuffer())
      .then((wav) => this.sound.decodeAudioData(wav))
      .catch(() => null)
  }

  /** Play a stretch at a time of the sound's clock, and fetch the next one while it is heard. */
  private async schedule(buffer: AudioBuffer | null, frame: number, at: number) {
    if (!buffer || this.over) return
    const source = this.sound.createBufferSource()
    source.buffer = buffer
    source.connect(this.sound.destination)
    const late = Math.max(0, this.sound.currentTime - at)
    source.start(at + late, late)
    const stretch = Math.ceil(SOUND_STRETCH * this.rate)
    const next = frame + stretch
    if (next < this.frames) await this.schedule(await this.soundFrom(next), next, at + stretch / this.rate)
  }

  private readonly draw = () => {
    if (this.over || this.began === null) return
    const due = this.wanted.frame + Math.floor(((performance.now() - this.began) / 1000) * this.rate)
    const best = Math.max(...[...this.ready.keys()].filter((frame) => frame <= due), -1)
    for (const frame of this.ready.keys()) {
      if (frame >= best) continue
      this.ready.get(frame)?.close()
      this.ready.delete(frame)
      if (frame > this.last) this.left += 1
    }
    if (best > this.last) {
      this.last = best
      this.shown += 1
      const picture = this.ready.get(best)
      if (picture) this.tell.frame(best, picture)
    }
    if (due >= this.frames && (best === this.frames - 1 || due > this.frames + this.rate)) {
      this.finish(null)
      return
    }
    if (this.socket.readyState === WebSocket.OPEN) this.socket.send(String(Math.max(due, this.wanted.frame)))
    requestAnimationFrame(this.draw)
  }

  private finish(problem: string | null) {
    if (this.over) return
    this.over = true
    this.socket.close()
    void this.sound.close()
    this.tell.end(problem)
  }
}
