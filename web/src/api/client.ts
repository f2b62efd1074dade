// The client made from the contract, and how mistakes reach the user.
import createClient from 'openapi-fetch'
import type { paths } from './schema'

export const api = createClient<paths>({ baseUrl: '' })

/** What the server refused, as a sentence to show. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    sentence: string,
  ) {
    super(sentence)
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** The answer's content; throws Refused with the server's sentence, or one of our own where it is out of reach. */
export async function content<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await asked
  } catch {
    throw new Refused(0, 'Cravo does not answer. Your work is kept; start it again with ./cravo start.')
  }
  if (answer.response.ok) return answer.data as T
  throw new Refused(answer.response.status, sentence(answer.error))
}

export function sentence(problem: unknown): string {
  if (problem && typeof problem === 'object' && 'detail' in problem) return String(problem.detail)
  return 'Something went wrong inside Cravo. Your work is kept; try again.'
}

/** A picture of a project, ready to draw. */
export function picture(project: string, wanted: object): Promise<ImageBitmap> {
  return drawable(`/api/projects/${project}/picture`, wanted)
}

/** A scope of a picture, ready to draw. */
export function scope(project: string, wanted: object): Promise<ImageBitmap> {
  return drawable(`/api/projects/${project}/scope`, wanted)
}

async function drawable(address: string, wanted: object): Promise<ImageBitmap> {
  const response = await fetch(address, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(wanted),
  })
  if (!response.ok) throw new Refused(response.status, sentence(await response.json().catch(() => null)))
  return createImageBitmap(await response.blob())
}
