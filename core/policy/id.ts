/** The entry that a text names: the one with this id, else the first with this name. */
export function entryCalled<T extends { readonly id: string; readonly name: string }>(
  entries: readonly T[],
  text: string,
): T | undefined {
  return entries.find(({ id }) => id === text) ?? entries.find(({ name }) => name === text)
}

/**
 * An id made from a name ("Lena's laptop" → "lena-s-laptop"), with a number after it where that is taken.
 *
 * @example freeId('Quiet bench', ['quiet-bench']) // 'quiet-bench-2'
 */
export function freeId(name: string, taken: Iterable<string>): string {
  const used = new Set(taken)
  const plain =
    name
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 40) || 'unnamed'
  if (!used.has(plain)) return plain
  let number = 2
  while (used.has(`${plain}-${number}`)) number++
  return `${plain}-${number}`
}
