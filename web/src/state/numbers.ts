// Numbers of the document as they stand on a frame.
import type { Keyed } from '../api/types'

/** The value on a source frame; the server computes the same for pictures. */
export function valueAt(number: number | Keyed, frame: number): number {
  if (typeof number === 'number') return number
  const { keys } = number
  const after = keys.findIndex((key) => frame < key.frame)
  if (after === 0) return keys[0].value
  if (after < 0) return keys[keys.length - 1].value
  const [a, b] = [keys[after - 1], keys[after]]
  return a.value + ((frame - a.frame) / (b.frame - a.frame)) * (b.value - a.value)
}

/** The number with another value: a plain one is replaced, a keyed one gets a key on the frame. */
export function withValue(number: number | Keyed, frame: number, value: number): number | Keyed {
  if (typeof number === 'number') return value
  const others = number.keys.filter((key) => key.frame !== frame)
  return { keys: [...others, { frame, value }].sort((a, b) => a.frame - b.frame) }
}

export function framesPerSecond(rate: string): number {
  const [over, under] = rate.split('/').map(Number)
  return over / (under || 1)
}
