import { LineCounter, parseDocument } from 'yaml'
import type { Fault } from '../policy/shape.ts'

/** A fault with the line of the file at which it stands, counted from 1. */
export interface FileFault extends Fault { readonly line: number }

/** Reads a file in JSON or YAML (JSON is a part of it) by `read`, which answers a result or faults by path: the result, or every fault with its line. Never throws. */
export function readLines<T extends object>(text: string, read: (value: unknown) => T | { readonly faults: readonly Fault[] }): T | { readonly faults: readonly FileFault[] } {
  const lines = new LineCounter()
  const file = parseDocument(text, { lineCounter: lines, uniqueKeys: true, logLevel: 'error' })
  const lineOf = (offset: number) => Math.max(1, lines.linePos(offset).line)
  if (file.errors.length > 0) return { faults: file.errors.map(({ message, pos: [offset] }) => ({ path: '', line: lineOf(offset), message: `cannot be read: ${message.split('\n')[0]}` })) }
  let value: unknown
  try {
    value = file.toJS({ maxAliasCount: 100 })
  } catch (error) {
    return { faults: [{ path: '', line: 1, message: `cannot be read: ${(error as Error).message}` }] }
  }
  const result = read(value)
  if (!('faults' in result)) return result
  // A key that is missing has no line of its own: then that of what lacks it counts.
  const lineAt = (path: (string | number)[]): number => {
    const node = file.getIn(path, true) as { range?: [number, number, number] } | undefined
    return node?.range ? lineOf(node.range[0]) : path.length > 0 ? lineAt(path.slice(0, -1)) : 1
  }
  return { faults: result.faults.map(fault => ({ ...fault, line: lineAt(partsOf(fault.path)) })) }
}

/** "rules[3].who.groups[0]" as the steps to it. */
function partsOf(path: string): (string | number)[] {
  return [...path.matchAll(/([^.[\]]+)|\[(\d+)\]/g)].map(([, key, index]) => index === undefined ? key! : Number(index))
}
