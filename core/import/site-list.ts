import { readBlock } from '../destination/address.ts'
import { unicodeHost } from '../destination/host.ts'
import { readSite, siteFault, siteText } from '../destination/site.ts'
import { numbered, type Unread } from './reading.ts'

/**
 * Sites read out of a text: each once, in canonical form and in the order of the text; what was altered on
 * the way, and what could not be read.
 */
export interface SiteReading {
  readonly format: 'a plain list' | 'a hosts file' | 'a response policy zone'
  readonly entries: readonly string[]
  /** Entries that stand for something other than what was written, with the reason. */
  readonly altered: readonly {
    readonly line: number
    readonly text: string
    readonly entry: string
    readonly reason: string
  }[]
  readonly unread: readonly Unread[]
}

/**
 * Takes what a line says: a site as it stands there, with the reason why it was altered before, if it was.
 */
interface Sink {
  site(line: number, text: string, bare: string, reason?: string): void
  unread(line: number, text: string, message: string): void
}

/** The altered and unread lines that are told one by one; a list may have a million. */
const TOLD = 200

/**
 * Reads sites without being told what the text is: names and addresses one a line or parted by blanks, commas
 * and semicolons, also as addresses
 * from a browser; a `hosts` file; or a response policy zone (RPZ). Never throws; what cannot be read is told,
 * and the rest counts.
 */
export function readSites(text: string, progress: (done: number) => void = () => {}): SiteReading {
  const entries = new Set<string>()
  const altered: SiteReading['altered'][number][] = []
  const unread: Unread[] = []
  const sink: Sink = {
    site: (line, written, bare, reason) => {
      const site = readSite(bare)
      if (!site) return sink.unread(line, written, `“${bare}” ${siteFault(bare)}.`)
      const entry = siteText(site)
      entries.add(entry)
      if (reason && altered.length < TOLD) altered.push({ line, text: written, entry, reason })
    },
    unread: (line, written, message) => {
      if (unread.length < TOLD) unread.push({ line, text: written.trim().slice(0, 200), message })
    },
  }
  const head = text.slice(0, 20_000)
  let format: SiteReading['format']
  if (/^\$(TTL|ORIGIN)\b|\sSOA\s|\sCNAME\s/im.test(head)) format = 'a response policy zone'
  else if (/^[ \t]*(0\.0\.0\.0|127\.\d+\.\d+\.\d+|::1?)[ \t]+[^\s#]/m.test(head)) format = 'a hosts file'
  else format = 'a plain list'
  const read = {
    'a plain list': readPlain,
    'a hosts file': readHosts,
    'a response policy zone': zoneReader(),
  }[format]
  for (const [line, one] of numbered(text, progress)) if (one !== '') read(line, one, sink)
  return { format, entries: [...entries], altered, unread }
}

/**
 * A site for people: an international name in its own letters.
 *
 * @example shownSite('xn--bcher-kva.example') // 'bücher.example'
 */
export const shownSite = (entry: string) => (entry.includes('/') ? entry : unicodeHost(entry))

function readPlain(line: number, text: string, sink: Sink): void {
  for (const word of text.replace(/(^|\s)[#;].*$/, '').split(/[\s,;]+/)) {
    if (word === '') continue
    const { bare, reason } = bareName(word)
    sink.site(line, word, bare, reason)
  }
}

/** A name without what a browser's address has around it. */
function bareName(word: string): { bare: string; reason?: string } {
  // A block with a slip in it is no name with a path.
  if (/^[^:/]+\/\d+$/.test(word) || readBlock(word)) return { bare: word }
  const [, scheme = '', user = '', place = '', port = '', path = ''] =
    /^([a-z][a-z0-9+.-]*:\/\/)?([^/?#@]*@)?(\[[^\]]*\]|[^/?#:]*)(:\d+)?([/?#].*)?$/i.exec(word) ?? []
  const star = place.startsWith('*.') ? '*.' : ''
  const name = place.slice(star.length).replace(/^\[(.*)\]$/, '$1')
  // "www." alone, or before a bare suffix, is a name of its own.
  const www = /^www\.[^.]+\./i.test(name) ? 'www.' : ''
  const taken = [
    scheme && 'the scheme',
    user && 'the user',
    www && 'the leading www.',
    star && 'the leading *.',
    port && 'the port',
    path && 'the path',
  ].filter(Boolean)
  return taken.length === 0
    ? { bare: word }
    : { bare: name.slice(www.length), reason: `${taken.join(', ')} taken off` }
}

/** Names that a hosts file gives to the machine itself and to groups of machines. */
const OWN = /^(localhost|localhost\.localdomain|local|broadcasthost|ip6-\w+)$/i

function readHosts(line: number, text: string, sink: Sink): void {
  const [address, ...names] = text.replace(/#.*$/, '').trim().split(/\s+/)
  if (!address) return
  if (!readBlock(address))
    return sink.unread(
      line,
      text,
      `“${address}” is not an IP address: a hosts file begins each line with one.`,
    )
  for (const name of names) if (!OWN.test(name) && !readBlock(name)) sink.site(line, name, name)
}

/**
 * Reads a response policy zone (draft-vixie-dnsop-dns-rpz) line by line: owners relative to the zone or
 * absolute, of actions that deny.
 */
function zoneReader(): (line: number, text: string, sink: Sink) => void {
  let origin = ''
  let owner = ''
  return (line, text, sink) => {
    const plain = text.replace(/;.*$/, '')
    const [first = '', ...rest] = plain.trim().split(/\s+/)
    if (first === '' || /^\$TTL$/i.test(first)) return
    if (/^\$ORIGIN$/i.test(first)) {
      origin = (rest[0] ?? '').replace(/\.$/, '').toLowerCase()
      return
    }
    const words = /^\s/.test(plain) ? [first, ...rest] : rest
    if (!/^\s/.test(plain)) owner = first
    const [type = '', target = ''] = words.filter((word) => !/^(\d+|IN)$/i.test(word))
    if (/^(SOA|NS)$/i.test(type)) {
      if (owner !== '@' && origin === '' && owner.endsWith('.')) origin = owner.slice(0, -1).toLowerCase()
      return
    }
    if (!/^CNAME$/i.test(type)) {
      // The lines of a SOA record that runs over several.
      if (!/^[\d()\s]+$/.test(plain))
        sink.unread(
          line,
          text,
          `“${type}” is not an action that is read here: CNAME . and CNAME *. and CNAME rpz-drop. are.`,
        )
      return
    }
    if (!/^(\.|\*\.|rpz-drop\.)$/i.test(target))
      return sink.unread(
        line,
        text,
        /^rpz-passthru\.$/i.test(target)
          ? 'This lets the name through; a list here only names, and a rule says what is done.'
          : `“${target}” leads elsewhere instead of denying.`,
      )
    const name =
      owner.toLowerCase().endsWith(`${origin}.`) && owner.endsWith('.') && origin !== ''
        ? owner.slice(0, -origin.length - 2)
        : owner.replace(/\.$/, '')
    const trigger = /\.(rpz-\w+(?:-\w+)?)$/i.exec(name)?.[1]?.toLowerCase()
    if (trigger && trigger !== 'rpz-ip')
      return sink.unread(line, text, `The trigger ${trigger} has no counterpart here.`)
    const bare = trigger ? responseBlock(name.slice(0, -7)) : name.replace(/^\*\./, '')
    sink.site(line, owner, bare ?? name)
  }
}

// RPZ writes 203.0.113.0/24 as 24.0.113.0.203, and 2001:db8::/32 as 32.zz.db8.2001.
function responseBlock(labels: string): string | null {
  const [prefix, ...parts] = labels.split('.')
  const reversed = parts.toReversed()
  const address =
    reversed.length === 4 && !parts.includes('zz')
      ? reversed.join('.')
      : reversed
          .join(':')
          .replace(/^zz$/, '::')
          .replace(/^zz:/, '::')
          .replace(/:zz$/, '::')
          .replace(/:zz:/, '::')
  return readBlock(`${address}/${prefix}`)?.text ?? null
}
