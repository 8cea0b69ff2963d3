import { randomInt } from 'node:crypto'

/** Letters and digits that nobody takes for one another. */
const LETTERS = 'ABCDEFGHJKMNPQRSTUVWXYZ23456789'

/** A code of eight letters: forty bits, less a little. */
export function newCode(): string {
  const letters = Array.from({ length: 8 }, () => LETTERS[randomInt(LETTERS.length)]!).join('')
  return `${letters.slice(0, 4)}-${letters.slice(4)}`
}

/**
 * Returns a code as it is compared, however somebody typed it: capitals and digits alone.
 *
 * @example
 *   plainCode(' abcd efgh') // 'ABCDEFGH'
 */
export function plainCode(text: string): string {
  return text.toUpperCase().replaceAll(/[^\p{L}\p{N}]/gu, '')
}
