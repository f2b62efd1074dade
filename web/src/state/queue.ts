// Edits follow one another; one that meets a newer state is made again on that state.

const TRIES = 4 // of an edit against a project that others change, too

export interface EditQueue {
  /** Run an edit when those before it are done. */
  put<T>(run: () => Promise<T>): Promise<T>
}

/** `isStale` says of a failure that the edit met a newer state; `renew` fetches that. */
export function editQueue(isStale: (error: unknown) => boolean, renew: () => Promise<void>): EditQueue {
  let last: Promise<unknown> = Promise.resolve()

  async function tried<T>(run: () => Promise<T>): Promise<T> {
    for (let left = TRIES; ; left -= 1) {
      try {
        return await run()
      } catch (error) {
        if (!isStale(error) || left <= 1) throw error
        await renew()
      }
    }
  }

  return {
    put<T>(run: () => Promise<T>): Promise<T> {
      const done = last.then(() => tried(run))
      // What fails is told to whoever asked for it, and holds up nobody else.
      last = done.catch(() => undefined)
      return done
    },
  }
}
