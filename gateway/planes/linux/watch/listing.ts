import { setImmediate as turn } from 'node:timers/promises'
import type { Count } from '../../../../protocol/gateway/evidence.ts'

/** A text or number in an element of a set, or several that are concatenated. */
export type Value = string | number
export interface Element {
  readonly val: Value | { readonly concat: readonly Value[] }
  /** For how long it is there yet, in seconds. */
  readonly expires?: number
  readonly counter?: Count
}

/** A set, map or counter of a table, as far as it is read here. */
export type Listed =
  | { readonly kind: 'set' | 'map'; readonly name: string; readonly elements: readonly Element[] }
  | { readonly kind: 'counter'; readonly name: string; readonly count: Count }

/** The characters that are read before others get their turn: some five milliseconds. */
const AT_ONCE = 250_000

interface Parsed {
  readonly set?: { readonly name: string; readonly elem?: readonly unknown[] }
  readonly map?: { readonly name: string; readonly elem?: readonly unknown[] }
  readonly counter?: Count & { readonly name: string }
}

/**
 * Reads what `nft -j list table` prints (libnftables-json(5)): sets, maps and counters, in parts, so that what
 * answers look-ups beside it is not held up. A set of many elements comes in several parts.
 */
export async function* readListing(text: string): AsyncGenerator<Listed> {
  let since = 0
  for (const [from, until] of objectsIn(text, text.indexOf('['))) {
    since += until - from
    if (since > AT_ONCE) {
      since = 0
      await turn()
    }
    // Chains and rules are most of it, and not read.
    if (!/^\s*\{\s*"(set|map|counter)"/.test(text.slice(from, from + 60))) continue
    if (until - from < AT_ONCE) {
      yield listed(text.slice(from, until))
      continue
    }
    const elements = /"elem"\s*:\s*\[/g
    elements.lastIndex = from
    if (elements.exec(text) === null || elements.lastIndex > until) yield listed(text.slice(from, until))
    else yield* inParts(text, from, elements.lastIndex - 1)
  }
}

/** A set whose elements begin at a bracket, part by part. */
async function* inParts(text: string, from: number, bracket: number): AsyncGenerator<Listed> {
  const head = `${text.slice(from, bracket)}[`
  let [part, size]: [string[], number] = [[], 0]
  const whole = () => listed(`${head}${part.join()}]}}`)
  for (const [first, end] of objectsIn(text, bracket)) {
    part.push(text.slice(first, end))
    size += end - first
    if (size < AT_ONCE) continue
    yield whole()
    part = []
    size = 0
    await turn()
  }
  yield whole()
}

/** Yields the bounds of each entry of a JSON list that begins at a bracket. */
function* objectsIn(text: string, bracket: number): Generator<[from: number, until: number]> {
  let [depth, from, isText] = [0, bracket + 1, false]
  for (let at = bracket + 1; at < text.length; at++) {
    const sign = text.charCodeAt(at)
    if (isText) {
      if (sign === BACKSLASH) at++
      else if (sign === QUOTE) isText = false
    } else if (sign === QUOTE) isText = true
    else if (sign === OPENING_BRACE || sign === OPENING_BRACKET) depth++
    else if ((sign === CLOSING_BRACE || sign === CLOSING_BRACKET) && --depth < 0) {
      if (text.slice(from, at).trim() !== '') yield [from, at]
      return
    } else if (sign === COMMA && depth === 0) {
      yield [from, at]
      from = at + 1
    }
  }
}
const [QUOTE, BACKSLASH, COMMA] = [34, 92, 44]
const [OPENING_BRACE, CLOSING_BRACE, OPENING_BRACKET, CLOSING_BRACKET] = [123, 125, 91, 93]

function listed(text: string): Listed {
  const { set, map, counter } = JSON.parse(text) as Parsed
  if (counter) {
    const { name, packets, bytes } = counter
    return { kind: 'counter', name, count: { packets, bytes } }
  }
  const { name, elem = [] } = (set ?? map)!
  return { kind: set ? 'set' : 'map', name, elements: elem.map(elementOf) }
}

/**
 * An element as nft prints it: of a map with its value behind it, bare where there is nothing but its
 * value.
 */
function elementOf(printed: unknown): Element {
  const [one] = Array.isArray(printed) ? (printed as unknown[]) : [printed]
  if (typeof one !== 'object' || one === null) return { val: one as Value }
  return 'elem' in one ? (one.elem as Element) : { val: one as Element['val'] }
}

/**
 * The flow tables that `nft -j list flowtables` prints, each by family, table and name: what they forward is
 * asked no rule of the forward chain.
 */
export function flowTables(text: string): string[] {
  const { nftables } = JSON.parse(text) as {
    nftables: readonly { flowtable?: { family: string; table: string; name: string } }[]
  }
  return nftables.flatMap(({ flowtable }) =>
    flowtable ? [`${flowtable.family} ${flowtable.table} ${flowtable.name}`] : [],
  )
}
