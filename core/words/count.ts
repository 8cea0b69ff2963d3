const rules = new Intl.PluralRules('en')
const lists = new Intl.ListFormat('en-GB', { type: 'conjunction' })
const choices = new Intl.ListFormat('en-GB', { type: 'disjunction' })

/**
 * The word that goes with a count: "device" with 1, "devices" with 0 and 2.
 *
 * @example plural(2, 'entry', 'entries') // 'entries'
 */
export function plural(count: number, one: string, many: string): string {
  return rules.select(count) === 'one' ? one : many
}

/**
 * A count with its word: "1 device", "1,200 devices".
 *
 * @example countWords(1204, 'packet') // '1,204 packets'
 */
export function countWords(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString('en')} ${plural(count, one, many)}`
}

/**
 * Names as a list: "A", "A and B", "A, B and C"; '' of none.
 *
 * @example listWords(['Ada', 'Bo', 'Eve']) // 'Ada, Bo and Eve'
 */
export function listWords(names: readonly string[]): string {
  return lists.format(names)
}

/**
 * Names of which one is meant: "A", "A or B", "A, B or C"; '' of none.
 *
 * @example orWords(['linux', 'simulated']) // 'linux or simulated'
 */
export function orWords(names: readonly string[]): string {
  return choices.format(names)
}
