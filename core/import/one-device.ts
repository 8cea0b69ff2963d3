import { mediumOf, type Format, type Sink } from './reading.ts'

/**
 * Gathers a network card from the lines of its block; it is found when the next one begins, or at the end, if
 * it has an address.
 */
function cardsInto(sink: Sink) {
  let name = ''
  let mac: { line: number; text: string } | null = null
  let addresses: string[] = []
  let hostName: string | null = null
  const end = () => {
    if (mac) sink.found(mac.line, mac.text, { hostName, addresses, medium: mediumOf(name) })
    mac = null
    addresses = []
  }
  return {
    end,
    begin: (title: string) => {
      end()
      name = title
    },
    host: (text: string | null) => {
      hostName = text
    },
    mac: (line: number, text: string) => {
      mac = { line, text }
    },
    address: (text: string) => {
      addresses.push(text)
    },
  }
}

/**
 * `ipconfig /all`, in English, German, French, Spanish and Portuguese: blocks under a title, `label . . . :
 * value`.
 */
export const ipconfig: Format = {
  name: 'ipconfig /all',
  kind: 'machine',
  matches: (head) => /^[ \t]{1,6}\S.*\. ?\. ?:/m.test(head),
  read: (lines, sink) => {
    const cards = cardsInto(sink)
    for (const [line, text] of lines) {
      if (/^\S/.test(text)) {
        cards.begin(text.replace(/:\s*$/, ''))
        continue
      }
      // The label ends where the dots lead to a colon: the Spanish ones have another colon inside.
      const end = /\. ?:/.exec(text)
      const label = end ? withoutDots(text.slice(0, end.index).trim()) : ''
      const value = end ? text.slice(end.index + end[0].length).trim() : ''
      if (/^(host ?name|hostname|nom de l.h[oô]te|nombre de host|nome do host)/i.test(label.trim()))
        cards.host(value.trim() || null)
      if (
        /^(physical address|physi(kali)?sche adresse|adresse physique|direcci[oó]n f[ií]sica|endere[cç]o f[ií]sico)/i.test(
          label.trim(),
        )
      ) {
        if (/^[0-9a-f]{2}(-[0-9a-f]{2}){5}$/i.test(value.trim())) cards.mac(line, value.trim())
        // Tunnels have eight octets, and are no cards.
        else if (!/^[0-9a-f]{2}(-[0-9a-f]{2}){6,}$/i.test(value.trim()))
          sink.unread(line, text, `“${value.trim()}” is not a MAC address.`)
      } else if (/ipv[46]/i.test(label) && !/gateway|dns|server/i.test(label))
        cards.address(value.replace(/\(.*$/, '').trim())
    }
    cards.end()
  },
}

// By hand: an expression for what ends a text is tried anew at each of its characters.
function withoutDots(text: string): string {
  let end = text.length
  while (end > 0 && (text[end - 1] === '.' || text[end - 1] === ' ')) end--
  return text.slice(0, end)
}

/** `getmac /v`: a table under a rule of `=`, whose widths it takes. */
export const getmac: Format = {
  name: 'getmac /v',
  kind: 'machine',
  matches: (head) => /^=+ =+ =+/m.test(head) || /\\Device\\Tcpip_/i.test(head),
  read: (lines, sink) => {
    let body = false
    for (const [line, text] of lines) {
      if (/^=+( =+)+\s*$/.test(text)) {
        body = true
        continue
      }
      if (!body || text.trim() === '') continue
      const mac = /\b[0-9a-f]{2}(?:-[0-9a-f]{2}){5}\b/i.exec(text)
      if (mac) sink.found(line, mac[0], { medium: mediumOf(text.slice(0, mac.index)) })
      // "N/A", "Nicht zutreffend" and the like: a card without an address of its own.
      else if (/[0-9a-f]{2}-[0-9a-f]{2}-/i.test(text))
        sink.unread(line, text, 'The address in this line is not whole.')
    }
  },
}

/** `ip link` and `ip addr`: `2: eth0: <…>` begins a card. */
export const ipLink: Format = {
  name: 'ip link',
  kind: 'machine',
  matches: (head) => /^\d+: \S+: </m.test(head),
  read: (lines, sink) => {
    const cards = cardsInto(sink)
    for (const [line, text] of lines) {
      const card = /^\d+: ([^:@]+)[@:]/.exec(text)
      if (card) cards.begin(card[1]!)
      const ether = /\blink\/ether\s+(\S+)/.exec(text)
      if (ether) cards.mac(line, ether[1]!)
      const address = /^\s+inet6?\s+([^\s/]+)/.exec(text)
      if (address) cards.address(address[1]!)
    }
    cards.end()
  },
}

/** `ifconfig` of Linux, macOS and the BSDs: a card's name stands at the margin. */
export const ifconfig: Format = {
  name: 'ifconfig',
  kind: 'machine',
  matches: (head) => /^\S+:? .*(flags=|Link encap)/m.test(head),
  read: (lines, sink) => {
    const cards = cardsInto(sink)
    for (const [line, text] of lines) {
      const head = /^([^\s:]+):?\s/.exec(text)
      if (head) cards.begin(head[1]!)
      const ether = /\b(?:ether|HWaddr)\s+(\S+)/.exec(text)
      if (ether) cards.mac(line, ether[1]!)
      const address = /\binet6?\s+(?:addr:\s*)?([0-9a-f.:]+)/i.exec(text)
      if (address) cards.address(address[1]!)
    }
    cards.end()
  },
}

/** `networksetup -listallhardwareports`: three lines a port. */
export const networksetup: Format = {
  name: 'networksetup -listallhardwareports',
  kind: 'machine',
  matches: (head) => /^Hardware Port: /m.test(head),
  read: (lines, sink) => {
    let port = ''
    for (const [line, text] of lines) {
      const [, label, value = ''] = /^(Hardware Port|Ethernet Address): (.*)$/.exec(text) ?? []
      if (label === 'Hardware Port') port = value
      if (label === 'Ethernet Address' && value.trim() !== 'N/A')
        sink.found(line, value.trim(), { medium: mediumOf(port) })
    }
  },
}
