// Frame numbers as timecode: SMPTE ST 12-1, with drop-frame counting at 30000/1001 and 60000/1001.
const pad = (number: number) => String(number).padStart(2, '0')

/**
 * Timecode of a frame counted from 0, as HH:MM:SS:FF (HH:MM:SS;FF where numbers are dropped), at a rate such as "25" or
 * "30000/1001". Drop-frame counting skips the first two numbers (four at 59.94) of every minute except each tenth, so
 * that 17982 frames make ten minutes at 29.97 (SMPTE ST 12-1:2014, 8.2).
 */
export function timecode(frame: number, rate: string): string {
  const [above, below] = rate.split('/').map(Number)
  const base = Math.round(above / (below || 1))
  const drops = below === 1001 && base % 30 === 0 ? 2 * (base / 30) : 0
  if (drops) {
    const ten = base * 600 - drops * 9
    const rest = frame % ten
    const minutes = rest < base * 60 ? 0 : 1 + Math.floor((rest - base * 60) / (base * 60 - drops))
    frame += drops * (9 * Math.floor(frame / ten) + minutes)
  }
  const seconds = Math.floor(frame / base)
  const [hours, minutes] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60]
  return `${pad(hours)}:${pad(minutes)}:${pad(seconds % 60)}${drops ? ';' : ':'}${pad(frame % base)}`
}
