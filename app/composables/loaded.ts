/**
 * The data that every page needs: the layout draws pages once it is there.
 *
 * @throws Error where something asks before
 */
export function loaded<T>(value: T | null, what: string): T {
  if (value === null) throw new Error(`The ${what} was asked for before it was there.`)
  return value
}
