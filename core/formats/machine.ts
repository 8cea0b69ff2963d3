import { mediumOf, type Format } from './reading.ts'

/** `ipconfig /all`, in English, German, French, Spanish and Portuguese: blocks under a title, `label . . . : value`. */
export const ipconfig: Format = {
  name: 'ipconfig /all', kind: 'machine',
  matches: head => /^\s{1,6}\S[^:\n]*?(\. ?){2,}\s*:/m.test(head),
  read: (lines, sink) => {
    let title = ''
    let hostName: string | null = null
    let card: { line: number, mac: string, addresses: string[] } | null = null
    const close = () => {
      if (card) sink.found(card.line, card.mac, { hostName, addresses: card.addresses, medium: mediumOf(title) })
      card = null
    }
    for (const [line, text] of lines) {
      if (/^\S/.test(text)) {
        close()
        title = text.replace(/:\s*$/, '')
        continue
      }
      // The label ends where the dots lead to a colon: the Spanish ones have another colon inside.
      const [, label = '', value = ''] = /^\s+(.*?)[\s.]*\. ?:\s*(.*)$/.exec(text) ?? []
      if (/^(host ?name|hostname|nom de l.h[oô]te|nombre de host|nome do host)/i.test(label.trim())) hostName = value.trim() || null
      if (/^(physical address|physi(kali)?sche adresse|adresse physique|direcci[oó]n f[ií]sica|endere[cç]o f[ií]sico)/i.test(label.trim())) {
        close()
        if (/^[0-9a-f]{2}(-[0-9a-f]{2}){5}$/i.test(value.trim())) card = { line, mac: value.trim(), addresses: [] }
        // Tunnels have eight octets, and are no cards.
        else if (!/^[0-9a-f]{2}(-[0-9a-f]{2}){6,}$/i.test(value.trim())) sink.unread(line, text, `“${value.trim()}” is no MAC address.`)
      } else if (card && /ipv[46]/i.test(label) && !/gateway|dns|server/i.test(label)) card.addresses.push(value.replace(/\(.*$/, '').trim())
    }
    close()
  },
}

/** `getmac /v`: a table under a rule of `=`, whose widths it takes. */
export const getmac: Format = {
  name: 'getmac /v', kind: 'machine',
  matches: head => /^=+ =+ =+/m.test(head) || /\\Device\\Tcpip_/i.test(head),
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
      else if (/[0-9a-f]{2}-[0-9a-f]{2}-/i.test(text)) sink.unread(line, text, 'The address in this line is not whole.')
    }
  },
}

/** `ip link` and `ip addr`: `2: eth0: <…>` begins a card. */
export const ipLink: Format = {
  name: 'ip link', kind: 'machine',
  matches: head => /^\d+: \S+: </m.test(head),
  read: (lines, sink) => {
    let name = ''
    let mac: { line: number, text: string, addresses: string[] } | null = null
    const close = () => {
      if (mac) sink.found(mac.line, mac.text, { addresses: mac.addresses, medium: mediumOf(name) })
      mac = null
    }
    for (const [line, text] of lines) {
      const card = /^\d+: ([^:@]+)[@:]/.exec(text)
      if (card) {
        close()
        name = card[1]!
      }
      const ether = /\blink\/ether\s+(\S+)/.exec(text)
      if (ether) mac = { line, text: ether[1]!, addresses: [] }
      const address = /^\s+inet6?\s+([^\s/]+)/.exec(text)
      if (address && mac) mac.addresses.push(address[1]!)
    }
    close()
  },
}

/** `ifconfig` of Linux, macOS and the BSDs: a card's name stands at the margin. */
export const ifconfig: Format = {
  name: 'ifconfig', kind: 'machine',
  matches: head => /^\S+:? .*(flags=|Link encap)/m.test(head),
  read: (lines, sink) => {
    let name = ''
    let card: { line: number, mac: string, addresses: string[] } | null = null
    const close = () => {
      if (card) sink.found(card.line, card.mac, { addresses: card.addresses, medium: mediumOf(name) })
      card = null
    }
    let early: string[] = []
    for (const [line, text] of lines) {
      const head = /^([^\s:]+):?\s/.exec(text)
      if (head) {
        close()
        name = head[1]!
        early = []
      }
      const ether = /\b(?:ether|HWaddr)\s+(\S+)/.exec(text)
      if (ether) card = { line, mac: ether[1]!, addresses: early }
      const address = /\binet6?\s+(?:addr:\s*)?([0-9a-f.:]+)/i.exec(text)
      if (address) (card?.addresses ?? early).push(address[1]!)
    }
    close()
  },
}

/** `networksetup -listallhardwareports`: three lines a port. */
export const networksetup: Format = {
  name: 'networksetup -listallhardwareports', kind: 'machine',
  matches: head => /^Hardware Port: /m.test(head),
  read: (lines, sink) => {
    let port = ''
    for (const [line, text] of lines) {
      const [, label, value = ''] = /^(Hardware Port|Ethernet Address): (.*)$/.exec(text) ?? []
      if (label === 'Hardware Port') port = value
      if (label === 'Ethernet Address' && value.trim() !== 'N/A') sink.found(line, value.trim(), { medium: mediumOf(port) })
    }
  },
}
