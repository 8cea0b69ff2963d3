/**
 * Returns the message of an error, or the text of anything else that was thrown.
 *
 * @example errorText(new Error('the disk is full')) // 'the disk is full'
 */
export function errorText(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
