// Which source frame each frame of a shot shows, as runs of even steps: a film of hours has few of them.
import type { SourceRun } from '../api/types'

/** How many frames they stand for. */
export const framesOf = (runs: SourceRun[]) => runs.reduce((sum, run) => sum + run.frames, 0)

/** The source frame of a frame, counted from the shot's first; undefined beyond them. */
export function sourceAt(runs: SourceRun[], frame: number): number | undefined {
  for (const run of runs) {
    if (frame < 0) return undefined
    if (frame < run.frames) return run.source + frame * run.step
    frame -= run.frames
  }
  return undefined
}

/** The first frame, counted from the shot's first, that shows a source frame or has passed it; -1 where none has. */
export function frameOf(runs: SourceRun[], source: number, backwards = false): number {
  const way = backwards ? -1 : 1
  let begun = 0
  for (const run of runs) {
    const last = run.source + (run.frames - 1) * run.step
    if (way * last >= way * source) {
      const left = way * (source - run.source)
      return begun + (left <= 0 ? 0 : Math.ceil(left / Math.abs(run.step)))
    }
    begun += run.frames
  }
  return -1
}
