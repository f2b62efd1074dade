// Sizes, lengths and times in words.
export function sizeOf(bytes: number): string {
  if (bytes < 1e6) return `${Math.max(1, Math.round(bytes / 1e3))} kB`
  return bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(2)} GB`
}

export function lengthOf(seconds: number): string {
  if (seconds < 60) return `${Number(seconds.toFixed(1))} s`
  const whole = Math.round(seconds)
  const minutes = Math.floor(whole / 60) % 60
  const text = `${minutes} min ${whole % 60} s`
  return whole >= 3600 ? `${Math.floor(whole / 3600)} h ${text}` : text
}

export function when(time: string): string {
  const then = new Date(time)
  const minutes = (Date.now() - then.getTime()) / 60000
  if (minutes < 1.5) return 'just now'
  if (minutes < 60) return `${Math.round(minutes)} min ago`
  const today = then.toDateString() === new Date().toDateString()
  const clock = then.toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })
  return today ? `today ${clock}` : then.toLocaleDateString()
}

export function spanOf(one: { first: number; last: number }): string {
  return one.first === one.last ? `frame ${one.first}` : `frames ${one.first}–${one.last}`
}
