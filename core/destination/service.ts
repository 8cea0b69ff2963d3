import { readBlock, type Block } from './address.ts'

/**
 * Ports of a protocol, perhaps only towards an address block; ports are inclusive ranges, sorted and apart.
 */
export interface Service {
  readonly protocol: 'tcp' | 'udp'
  readonly ports: readonly { readonly first: number; readonly last: number }[]
  readonly towards: Block | null
}

/**
 * Reads `tcp/21`, `udp/3478-3481`, `tcp/20,21`, `tcp/*`, each perhaps with `@203.0.113.0/24`; `null` where
 * the text is none.
 *
 * @example readService('tcp/80-443') // { protocol: 'tcp', ports: [{ first: 80, last: 443 }], towards: null }
 */
export function readService(text: string): Service | null {
  const match = /^(tcp|udp)\/([^@]+)(?:@(.+))?$/.exec(text.trim().toLowerCase().replace(/\s+/g, ''))
  if (!match) return null
  const ports = match[2] === '*' ? [{ first: 1, last: 65535 }] : match[2]!.split(',').map(readPorts)
  const towards = match[3] === undefined ? null : readBlock(match[3])
  if (ports.includes(null) || (match[3] !== undefined && !towards)) return null
  return {
    protocol: match[1] as 'tcp' | 'udp',
    ports: unitePorts(ports as { first: number; last: number }[]),
    towards,
  }
}

/**
 * Writes a service in its canonical form.
 *
 * @example serviceText(readService('udp/53')!) // 'udp/53'
 */
export function serviceText({ protocol, ports, towards }: Service): string {
  const all = ports.length === 1 && ports[0]!.first === 1 && ports[0]!.last === 65535
  const texts = ports.map(({ first, last }) => (first === last ? String(first) : `${first}-${last}`))
  return `${protocol}/${all ? '*' : texts.join(',')}${towards ? `@${towards.text}` : ''}`
}

function readPorts(text: string): { first: number; last: number } | null {
  const match = /^(\d{1,5})(?:-(\d{1,5}))?$/.exec(text)
  if (!match) return null
  const first = Number(match[1])
  const last = Number(match[2] ?? match[1])
  return first >= 1 && first <= last && last <= 65535 ? { first, last } : null
}

function unitePorts(ports: readonly { first: number; last: number }[]): { first: number; last: number }[] {
  const united: { first: number; last: number }[] = []
  for (const range of [...ports].sort((a, b) => a.first - b.first)) {
    const last = united.at(-1)
    // Neighbours stay apart (20,21 as people write it) unless one is a range; what overlaps unites.
    if (last && range.first <= last.last) last.last = Math.max(last.last, range.last)
    else united.push({ ...range })
  }
  return united
}
