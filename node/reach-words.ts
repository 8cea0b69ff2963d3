/** The meaning of the system's error codes when a server cannot be reached. */
const WORDS: Readonly<Record<string, string>> = {
  ECONNREFUSED: 'nothing answers on that port',
  ECONNRESET: 'it ended the connection',
  EHOSTUNREACH: 'no way leads there',
  ENETUNREACH: 'no way leads there',
  ENOTFOUND: 'the name is not known',
  EAI_AGAIN: 'the name could not be looked up',
  ETIMEDOUT: 'it does not answer',
}

/** Why a server could not be reached, in words; where there are none, what the system says. */
export function reachWords(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException
  return WORDS[code ?? ''] ?? message ?? String(error)
}
