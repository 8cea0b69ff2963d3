/**
 * Returns the entries that have every typed word at the beginning of one of their own; then those that have
 * them anywhere, unless `wordsOnly`. Accents and case do not matter.
 */
export function matching<T>(
  list: readonly T[],
  typed: string,
  nameOf: (one: T) => string,
  wordsOnly = false,
): T[] {
  const plain = (text: string) =>
    text
      .normalize('NFKD')
      .replace(/[\u0300-\u036F]/g, '')
      .replace(/[’']/g, '')
      .toLowerCase()
  const words = plain(typed).split(/\s+/).filter(Boolean)
  if (words.length === 0) return []
  const ranked = list.flatMap((one) => {
    const name = plain(nameOf(one))
    if (!words.every((word) => name.includes(word))) return []
    return [{ one, rank: rankOf(name, words) }]
  })
  return ranked
    .filter(({ rank }) => !wordsOnly || rank < 3)
    .sort((a, b) => a.rank - b.rank)
    .map(({ one }) => one)
}

/**
 * Returns how well a name matches a typed text: 0 = they are equal, 3 = it has the words somewhere within
 * its own.
 */
function rankOf(name: string, words: readonly string[]): number {
  if (name === words.join(' ')) return 0
  if (name.startsWith(words[0]!)) return 1
  const nameWords = [...name.split(/[^\p{L}\p{N}]+/u), ...name.split(/\s+/)]
  return words.every((word) => nameWords.some((part) => part.startsWith(word))) ? 2 : 3
}
