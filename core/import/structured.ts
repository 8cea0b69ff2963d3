import Papa from 'papaparse'
import { mediumOf, type Format, type Sink } from './reading.ts'

/** `ip -j addr`, `ip -j link`, `ip -j neigh`: one JSON list. */
export function ipJson(kind: 'machine' | 'network'): Format {
  return {
    name: kind === 'machine' ? 'ip -j addr' : 'ip -j neigh',
    kind,
    hasLongLines: true,
    matches: (head) => head.trimStart().startsWith('[') && (kind === 'network') === head.includes('"dst"'),
    read: (lines, sink) => {
      const whole = [...lines].map(([, text]) => text).join('\n')
      let list: unknown
      try {
        list = JSON.parse(whole)
      } catch (error) {
        return sink.unread(1, whole.slice(0, 60), `This is not whole JSON: ${(error as Error).message}.`)
      }
      for (const entry of Array.isArray(list) ? list : []) jsonEntry(entry, sink)
    },
  }
}

function jsonEntry(entry: unknown, sink: Sink): void {
  const {
    ifname,
    address,
    link_type: type,
    lladdr,
    dst,
    addr_info: infos,
  } = (typeof entry === 'object' && entry !== null ? entry : {}) as Record<string, unknown>
  if (typeof lladdr === 'string')
    return sink.found(1, lladdr, { addresses: typeof dst === 'string' ? [dst] : [] })
  if (typeof address !== 'string' || (type !== undefined && type !== 'ether')) return
  const addresses = (Array.isArray(infos) ? infos : []).flatMap((info: unknown) => {
    const local = (info as { local?: unknown } | null)?.local
    return typeof local === 'string' ? [local] : []
  })
  sink.found(1, address, { addresses, medium: mediumOf(String(ifname ?? '')) })
}

/**
 * The lease file of Kea, a CSV with a heading. A lease that is declined or expired (state 1, 2) still names
 * its machine.
 */
export const keaLeases: Format = {
  name: 'leases of Kea',
  kind: 'network',
  matches: (head) => /^address,(hwaddr|duid),/m.test(head),
  read: (lines, sink) => {
    let columns: string[] = []
    for (const [line, text] of lines) {
      if (text.trim() === '') continue
      const [row = []] = Papa.parse<string[]>(text, { delimiter: ',' }).data
      if (row[0] === 'address') columns = row
      else if (row.length < columns.length - 2)
        sink.unread(line, text, `This line has ${row.length} columns, the heading ${columns.length}.`)
      else {
        const value = (name: string) => row[columns.indexOf(name)] ?? ''
        if (value('hwaddr') !== '')
          sink.found(line, value('hwaddr'), {
            addresses: [value('address')],
            hostName: value('hostname') || null,
          })
      }
    }
  },
}
