// A file on its way to the server, by tus: what broke off goes on where it was, and after the window was closed as well.
import { DetailedError, Upload } from 'tus-js-client'
import { sentence } from '../api/client'

const PAUSES = [0, 500, 2000, 5000, 10000, 20000, 30000] // milliseconds before it is tried again
const MEDIUM = 'Cravo-Medium'

/**
 * Sends a file from where an earlier try ended; gives the id of its medium.
 *
 * Rejects with a sentence where it does not arrive, and never ends where `stopped` comes first: then nothing is kept of it.
 */
export function sendFile(file: File, share: (of: number) => void, stopped: AbortSignal): Promise<string> {
  return new Promise((done, failed) => {
    let medium = ''
    const upload = new Upload(file, {
      endpoint: new URL('/api/uploads', location.href).href,
      metadata: { filename: file.name },
      retryDelays: PAUSES,
      removeFingerprintOnSuccess: true,
      onProgress: (sent, total) => share(total ? sent / total : 0),
      onAfterResponse: (_, response) => {
        medium = response.getHeader(MEDIUM) ?? medium
      },
      onSuccess: () => done(medium),
      onError: (error) => failed(new Error(why(error))),
    })
    // Where the server is away it cannot be told; it forgets what has arrived a week later.
    stopped.addEventListener('abort', () => void upload.abort(true).catch(() => undefined))
    void upload.findPreviousUploads().then(([before]) => {
      if (stopped.aborted) return
      if (before) upload.resumeFromPreviousUpload(before)
      upload.start()
    })
  })
}

function why(error: Error | DetailedError): string {
  const answer = error instanceof DetailedError ? error.originalResponse?.getBody() : undefined
  if (answer) return sentence(parsed(answer))
  return 'The upload broke off. Drop the file again: it goes on where it was.'
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return null
  }
}
