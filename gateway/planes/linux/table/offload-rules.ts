import { MARK_BITS } from './table-setting.ts'

/** A rule of somebody's firewall that hands connections to a flow table (nft(8), section FLOWTABLES). */
interface FlowRule {
  /** Family, table and chain, as nft names a chain. */
  readonly chain: string
  readonly handle: number
  /** The nearest rule before it that hands over nothing; `null` = it is among the first. */
  readonly after: number | null
  /** The marks to which we bound it; `null` = to none. */
  readonly marks: ReadonlySet<number> | null
  /** The rule without that. */
  readonly text: string
}

/** A flow table with the rules that hand connections to it. */
export interface FlowTable {
  /** Family, table and name. */
  readonly name: string
  /** The text between its braces, without handles. */
  readonly body: string
  readonly rules: readonly FlowRule[]
  /** Whether the rules can be bound: nothing may be done by them beside, which would be bound too. */
  readonly isPlain: boolean
}

/** A mark that no connection has in those bits. */
const NOBODY = 1
const RULE = /^(.*?)\bflow (?:add|offload) @(\S+)(.*?) # handle (\d+)$/
const BOUND = new RegExp(`^ct mark (?:&|and) ${MARK_BITS} (\\{[^}]*\\}|0x[0-9a-f]+) `)
const HANDLE = / # handle (\d+)$/

/** Reads the flow tables in what `nft -a -t list ruleset` prints. */
export function readFlowTables(ruleset: string): FlowTable[] {
  const bodies = new Map<string, string[]>()
  const rules: { readonly flowTable: string; readonly isPlain: boolean; readonly rule: FlowRule }[] = []
  let [table, block, name] = ['', '', '']
  let after: number | null = null
  for (const line of ruleset.split('\n').map((each) => each.trim())) {
    const [, kind, words] = /^(table|chain|flowtable|set|map) (\S+(?: \S+)?) \{/.exec(line) ?? []
    if (kind === 'table') table = words!
    else if (kind) {
      ;[block, name, after] = [kind, words!, null]
      if (kind === 'flowtable') bodies.set(`${table} ${name}`, [])
    } else if (line === '}') block = ''
    else if (block === 'flowtable') bodies.get(`${table} ${name}`)!.push(line.replace(HANDLE, ''))
    else if (block === 'chain') {
      const [, head, flowTable, tail, handle] = RULE.exec(line) ?? []
      if (flowTable === undefined) {
        after = Number(HANDLE.exec(line)?.[1] ?? 0) || after
        continue
      }
      const bound = BOUND.exec(head!)
      const rest = head!.slice(bound?.[0].length ?? 0)
      rules.push({
        flowTable: `${table} ${flowTable}`,
        isPlain: /^(?: comment ".*")?$/.test(tail!),
        rule: {
          chain: `${table} ${name}`,
          handle: Number(handle),
          after,
          marks: bound && new Set((bound[1]!.match(/0x[0-9a-f]+/g) ?? []).map(Number)),
          text: `${rest}flow add @${flowTable}${tail}`,
        },
      })
    }
  }
  return [...bodies].map(([flowTable, body]) => {
    const own = rules.filter((one) => one.flowTable === flowTable)
    return {
      name: flowTable,
      body: body.join('\n'),
      rules: own.map(({ rule }) => rule),
      isPlain: own.every(({ isPlain }) => isPlain),
    }
  })
}

/**
 * Lines for `nft -f` that bind the rules of a flow table to connections with one of some marks; `null` = to
 * none. Where connections may be in it that should not be, it is made anew, in the same transaction: they go
 * through the rules again.
 *
 * @returns nothing where it is so
 */
export function bindingLines(flowTable: FlowTable, marks: readonly number[] | null): string {
  const isSo = ({ marks: now }: FlowRule) =>
    now === null || marks === null
      ? now === marks
      : now.size === marks.length && marks.every((one) => now.has(one))
  const { name, body, rules } = flowTable
  if (rules.every(isSo)) return ''
  const bound = marks === null ? '' : boundTo(marks)
  const texts = rules.map((rule) => ({ ...rule, text: `${bound}${rule.text}` }))
  const isNarrower =
    marks !== null &&
    rules.some(({ marks: now }) => now === null || [...now].some((one) => !marks.includes(one)))
  const lines = isNarrower
    ? [
        ...rules.map(({ chain, handle }) => `delete rule ${chain} handle ${handle}`),
        `delete flowtable ${name}`,
        `add flowtable ${name} {\n${body}\n}`,
        // Each comes right behind what it stood behind, so that the last is put there first.
        ...texts
          .toReversed()
          .map(({ chain, after, text }) =>
            after === null ? `insert rule ${chain} ${text}` : `add rule ${chain} handle ${after} ${text}`,
          ),
      ]
    : texts.map(({ chain, handle, text }) => `replace rule ${chain} handle ${handle} ${text}`)
  return `${lines.join('\n')}\n`
}

/**
 * The condition that a connection has one of some marks; of none, that it has one which no connection has.
 */
function boundTo(marks: readonly number[]): string {
  const all = marks.length > 0 ? marks : [NOBODY]
  return `ct mark and ${MARK_BITS} { ${all.map((mark) => `0x${mark.toString(16)}`).join(', ')} } `
}
