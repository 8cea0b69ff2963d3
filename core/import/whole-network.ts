import { readAddress } from '../destination/address.ts'
import { mediumOf, type Format } from './reading.ts'

const IPV4 = String.raw`\d{1,3}(?:\.\d{1,3}){3}`

/** `arp -a` of Windows: a table an interface, in any language. */
export const arpWindows: Format = {
  name: 'arp -a (Windows)',
  kind: 'network',
  matches: (head) => /^\S[^\n]*: \d+(\.\d+){3} --- 0x/m.test(head),
  read: (lines, sink) => {
    for (const [line, text] of lines) {
      const row = new RegExp(`^\\s+(${IPV4})\\s+(\\S+)\\s+\\S+`).exec(text)
      if (row) sink.found(line, row[2]!, { addresses: [row[1]!] })
    }
  },
}

/** `arp -a` of Linux and macOS: `name (address) at mac …`. */
export const arpUnix: Format = {
  name: 'arp -a',
  kind: 'network',
  matches: (head) => new RegExp(`^\\S+ \\(${IPV4}\\) at `, 'm').test(head),
  read: (lines, sink) => {
    for (const [line, text] of lines) {
      if (text.trim() === '') continue
      const row = /^(\S+) \(([^)]+)\) at (\S+)/.exec(text)
      if (!row) sink.unread(line, text, 'This line is not like the others: name (address) at MAC address.')
      else if (!/incomplete/.test(row[3]!))
        sink.found(line, row[3]!, { addresses: [row[2]!], hostName: row[1] === '?' ? null : row[1]! })
    }
  },
}

/** `/proc/net/arp`: a table with a heading. */
export const procArp: Format = {
  name: '/proc/net/arp',
  kind: 'network',
  matches: (head) => /^IP address\s+HW type\s+Flags\s+HW address/m.test(head),
  read: (lines, sink) => {
    for (const [line, text] of lines) {
      if (text.trim() === '' || text.startsWith('IP address')) continue
      const [address, , , mac] = text.trim().split(/\s+/)
      if (mac === undefined) sink.unread(line, text, 'This line has too few columns.')
      else sink.found(line, mac, { addresses: [address!] })
    }
  },
}

/** `arp -n` and `arp -e` of Linux: a table with a heading, an address or a name first. */
export const arpTable: Format = {
  name: 'arp -n',
  kind: 'network',
  matches: (head) => /^Address\s+HWtype\s+HWaddress/m.test(head),
  read: (lines, sink) => {
    for (const [line, text] of lines) {
      if (text.trim() === '' || text.startsWith('Address')) continue
      // A device that does not answer has "(incomplete)" in the place of both columns.
      if (text.includes('(incomplete)')) continue
      const [host = '', , mac] = text.trim().split(/\s+/)
      if (mac === undefined) sink.unread(line, text, 'This line has too few columns.')
      else if (readAddress(host)) sink.found(line, mac, { addresses: [host] })
      else sink.found(line, mac, { hostName: host })
    }
  },
}

/** `ip neigh`: `address dev name lladdr mac state`; an entry without `lladdr` knows no address. */
export const ipNeigh: Format = {
  name: 'ip neigh',
  kind: 'network',
  matches: (head) => /^\S+ dev \S+ /m.test(head),
  read: (lines, sink) => {
    for (const [line, text] of lines) {
      if (text.trim() === '') continue
      const row = /^(\S+) dev (\S+)(?:.*\blladdr (\S+))?/.exec(text)
      if (!row) sink.unread(line, text, 'This line is not like the others: address dev … lladdr … state.')
      else if (row[3]) sink.found(line, row[3], { addresses: [row[1]!] })
    }
  },
}

/** The lease file of dnsmasq: `expiry mac address name client-id`. */
export const dnsmasqLeases: Format = {
  name: 'leases of dnsmasq',
  kind: 'network',
  matches: (head) => /^\d+ ([0-9a-f]{2}-)?([0-9a-f]{2}:){5}[0-9a-f]{2} \S+ \S+/im.test(head),
  read: (lines, sink) => {
    for (const [line, text] of lines) {
      if (text.trim() === '' || text.startsWith('duid ')) continue
      const [, mac = '', address = '', name = ''] = text.split(' ')
      // IPv6 leases have an interface id where the address of the card would stand.
      if (/^\d+$/.test(mac)) continue
      if (name === '')
        sink.unread(line, text, 'A lease has five columns: expiry, MAC address, IP address, name, client id.')
      else
        sink.found(line, mac.replace(/^[0-9a-f]{2}-/i, ''), {
          addresses: [address],
          hostName: name === '*' ? null : name,
        })
    }
  },
}

/** The lease file of ISC dhcpd: `lease address { … hardware ethernet mac; … }`. */
export const iscLeases: Format = {
  name: 'leases of ISC dhcpd',
  kind: 'network',
  matches: (head) => /^lease \S+ \{/m.test(head),
  read: (lines, sink) => {
    let lease: { line: number; address: string; mac: string | null; hostName: string | null } | null = null
    for (const [line, text] of lines) {
      const begin = /^lease (\S+) \{/.exec(text)
      if (begin) {
        if (lease) sink.unread(lease.line, `lease ${lease.address}`, 'This lease is not closed by “}”.')
        lease = { line, address: begin[1]!, mac: null, hostName: null }
      }
      if (!lease) continue
      lease.mac = /^\s*hardware ethernet ([^;]+);/.exec(text)?.[1] ?? lease.mac
      lease.hostName = /^\s*client-hostname "([^"]*)";/.exec(text)?.[1] ?? lease.hostName
      if (!/^\s*\}/.test(text)) continue
      if (lease.mac)
        sink.found(lease.line, lease.mac, { addresses: [lease.address], hostName: lease.hostName })
      lease = null
    }
    if (lease) sink.unread(lease.line, `lease ${lease.address}`, 'This lease is not closed by “}”.')
  },
}

/** Addresses typed or listed, one a line, with a name before or after it. */
export const plainList: Format = {
  name: 'a list of addresses',
  kind: 'network',
  matches: () => true,
  read: (lines, sink) => {
    const address =
      /(?<![0-9a-f:.-])([0-9a-f]{2}([:-])[0-9a-f]{2}(?:\2[0-9a-f]{2}){4}|[0-9a-f]{4}\.[0-9a-f]{4}\.[0-9a-f]{4}|[0-9a-f]{12})(?![0-9a-f:-])/i
    for (const [line, text] of lines) {
      if (text.trim() === '' || text.startsWith('#')) continue
      const match = address.exec(text)
      const rest = match
        ? `${text.slice(0, match.index)} ${text.slice(match.index + match[0].length)}`
            .replace(/[\s,;|=]+/g, ' ')
            .trim()
        : ''
      if (match) sink.found(line, match[1]!, { hostName: rest || null, medium: mediumOf(rest) })
      else sink.unread(line, text, 'There is no MAC address in this line.')
    }
  },
}
