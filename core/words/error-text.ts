/** Returns the message of an error, or the text of anything else that was thrown. */
export function errorText(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
