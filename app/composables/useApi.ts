import { errorText } from '../../core/words/error-text.ts'
import type { ErrorAnswer } from '../../protocol/answers.ts'
import { apiPath } from '../model/address.ts'
import { faultWords } from '../text/fault.ts'
import { shellText } from '../text/shell.ts'

/** An error that the server answered, with its words and the faults in what was sent. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly answer: ErrorAnswer,
  ) {
    super(answer.message)
  }
}

/**
 * Calls a route of the server; throws ApiError with the server's words. Without a session it leads to the
 * sign-in page.
 */
export async function callApi<T>(
  method: 'GET' | 'POST' | 'PUT' | 'DELETE',
  path: string,
  body?: unknown,
  headers: Record<string, string> = {},
): Promise<T> {
  const response = await fetch(apiPath(path), {
    method,
    headers: body === undefined ? headers : { ...headers, 'content-type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  }).catch(() => {
    throw new ApiError(0, { code: 'unreachable', message: shellText.serverAway })
  })
  const answer: unknown = await response
    .json()
    .catch(() => ({ code: 'unreadable', message: shellText.serverSilent(response.status) }))
  if (response.ok) return answer as T
  const error = new ApiError(response.status, answer as ErrorAnswer)
  if (error.answer.code === 'not-signed-in') await navigateTo('/sign-in')
  throw error
}

/** The words of an error, with its faults, to show to a person. */
export function wordsOf(error: unknown): string {
  if (error instanceof ApiError)
    return [error.message, ...(error.answer.faults ?? []).map(faultWords)].join(' ')
  return errorText(error)
}
