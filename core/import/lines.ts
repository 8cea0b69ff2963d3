import { LineCounter, parseDocument } from 'yaml'
import type { Fault } from '../policy/shape.ts'

/** A fault with the line of the file at which it stands, counted from 1. */
export interface FileFault extends Fault {
  readonly line: number
}

/**
 * Reads a file in JSON or YAML (JSON is a part of it) by `read`, which answers a result or faults by path:
 * the result, or every fault with its line. Never throws.
 */
export function readLines<T extends object>(
  text: string,
  read: (value: unknown) => T | { readonly faults: readonly Fault[] },
): T | { readonly faults: readonly FileFault[] } {
  const json = jsonOf(text)
  const fromJson = json && read(json.value)
  // Without faults nobody asks for lines, and JSON is read much faster by itself.
  if (fromJson && !('faults' in fromJson)) return fromJson
  if (text.length > MAX_YAML_CHARS) {
    if (fromJson) return { faults: fromJson.faults.map((fault) => ({ ...fault, line: 1 })) }
    return {
      faults: [
        {
          path: '',
          line: 1,
          message: `is longer than ${MAX_YAML_CHARS / 1e6} million characters: write it as JSON`,
        },
      ],
    }
  }
  const file = parseYaml(text)
  if ('faults' in file) return file
  const result = read(file.value)
  if (!('faults' in result)) return result
  return { faults: result.faults.map((fault) => ({ ...fault, line: file.lineAt(partsOf(fault.path)) })) }
}

/** A text that was read as YAML: its value, and the line at which a part of it stands. */
interface ReadYaml {
  readonly value: unknown
  /** A key that is missing has no line of its own: then that of what lacks it counts. */
  lineAt(path: readonly (string | number)[]): number
}

function parseYaml(text: string): ReadYaml | { readonly faults: readonly FileFault[] } {
  const unreadable = (line: number, why: string) => ({ path: '', line, message: `cannot be read: ${why}` })
  const deep = deepestLine(text)
  if (deep !== null)
    return {
      faults: [{ path: '', line: deep, message: `is nested more than ${DEEPEST} deep: nothing here is` }],
    }
  const lines = new LineCounter()
  const lineOf = (offset: number) => Math.max(1, lines.linePos(offset).line)
  try {
    const file = parseDocument(text, {
      lineCounter: lines,
      uniqueKeys: true,
      logLevel: 'error',
      prettyErrors: false,
    })
    if (file.errors.length > 0)
      return {
        faults: file.errors.map(({ message, pos: [offset] }) =>
          unreadable(lineOf(offset), message.split('\n')[0]!),
        ),
      }
    const lineAt = (path: readonly (string | number)[]): number => {
      const node = file.getIn(path, true) as { range?: [number, number, number] } | undefined
      if (node?.range) return lineOf(node.range[0])
      return path.length > 0 ? lineAt(path.slice(0, -1)) : 1
    }
    return { value: file.toJS({ maxAliasCount: 100 }), lineAt }
  } catch (error) {
    return { faults: [unreadable(1, (error as Error).message)] }
  }
}

/** The longest text that is read as YAML, and its deepest nesting. */
const MAX_YAML_CHARS = 1_000_000
const DEEPEST = 50

function jsonOf(text: string): { readonly value: unknown } | null {
  if (!/^\s*[{[]/.test(text)) return null
  try {
    return { value: JSON.parse(text) }
  } catch {
    return null
  }
}

/**
 * The first line on which a text is nested too deep, by its brackets or by the marks of lists within lists;
 * `null` where it is nowhere.
 */
function deepestLine(text: string): number | null {
  let [depth, marks, line] = [0, 0, 1]
  for (const letter of text) {
    if (letter === '\n') {
      line++
      marks = 0
    } else if (letter === '[' || letter === '{') depth++
    else if (letter === ']' || letter === '}') depth = Math.max(0, depth - 1)
    else if (
      letter === '-' ||
      letter === '?' ||
      letter === ':' ||
      letter === '&' ||
      letter === '!' ||
      letter === '*'
    )
      marks++
    if (depth > DEEPEST || marks > 20 * DEEPEST) return line
  }
  return null
}

/** "rules[3].who.groups[0]" as the steps to it. */
function partsOf(path: string): (string | number)[] {
  return [...path.matchAll(/([^.[\]]+)|\[(\d+)\]/g)].map(([, key, index]) =>
    index === undefined ? key! : Number(index),
  )
}
