import canonicalize from 'canonicalize'
import type { Rule } from './types.ts'

/**
 * Whether two rules, the second right after the first, say together "only what is listed": an allow of some
 * things, then a block of the internet, for the same devices at the same times.
 */
export function isPair(first: Rule, second: Rule | undefined): boolean {
  if (
    !second ||
    first.effect !== 'allow' ||
    first.what.internet ||
    second.effect !== 'block' ||
    !second.what.internet ||
    second.after !== null ||
    first.enabled !== second.enabled ||
    first.logOnly !== second.logOnly
  )
    return false
  return (
    canonicalize(first.who) === canonicalize(second.who) &&
    canonicalize(first.when) === canonicalize(second.when)
  )
}

/** The rules in their order, those that say "only what is listed" two by two. */
export function ruleSteps(rules: readonly Rule[]): (readonly [Rule] | readonly [Rule, Rule])[] {
  const steps: (readonly [Rule] | readonly [Rule, Rule])[] = []
  for (let at = 0; at < rules.length; at += steps.at(-1)!.length) {
    const [first, second] = [rules[at]!, rules[at + 1]]
    steps.push(isPair(first, second) ? [first, second!] : [first])
  }
  return steps
}

/**
 * Rules with some replaced, some taken out, and some added: one that is new stands behind the one before it
 * among the edits, the first of them at the end.
 */
export function placeRules(
  rules: readonly Rule[],
  edits: readonly Rule[],
  takeOut: readonly string[],
): Rule[] {
  let placed = [...rules]
  edits.forEach((edit, index) => {
    const at = placed.findIndex(({ id }) => id === edit.id)
    const before = edits[index - 1]
    if (at >= 0) placed[at] = edit
    else
      placed = placed.toSpliced(
        before ? placed.findIndex(({ id }) => id === before.id) + 1 : placed.length,
        0,
        edit,
      )
  })
  return placed.filter(({ id }) => !takeOut.includes(id))
}
