// eslint-disable-next-line @typescript-eslint/triple-slash-reference -- the package has no types of its own
/// <reference path="./punycode.d.ts" />
import punycode from 'punycode/punycode.js'

const LABEL = /^[a-z0-9_]([a-z0-9_-]{0,61}[a-z0-9_])?$/

/**
 * A name that is in its ASCII form as it stands, as nearly all of a long list are: UTS 46 leaves it alone,
 * and its last label is no number.
 */
const PLAIN = /^(?:[a-z0-9_](?:[a-z0-9_-]{0,61}[a-z0-9_])?\.)*[a-z](?:[a-z0-9_-]{0,61}[a-z0-9_])?$/

/**
 * Whether a text is a host name that is in its ASCII form as it stands: cheap, and true of nearly all.
 *
 * @example isPlainHost('minigame.example') // true
 */
export function isPlainHost(text: string): boolean {
  return text.length <= 253 && PLAIN.test(text) && !text.includes('--')
}

/**
 * Reads a host name in its ASCII form, lower case, without a final dot (UTS 46, non-transitional; lengths of
 * RFC 1035, section 2.3.4).
 * `null` where it is none; an IPv4 address is none.
 *
 * @example readHost('Bücher.example.') // 'xn--bcher-kva.example'
 */
export function readHost(text: string): string | null {
  if (isPlainHost(text)) return text
  if (text.length > 1000) return null
  const ascii = toAscii(text.trim().replace(/\.$/, ''))
  if (ascii === null || ascii.length > 253) return null
  const labels = ascii.split('.')
  return labels.every((label) => LABEL.test(label)) && !/^\d+$/.test(labels.at(-1)!) ? ascii : null
}

/**
 * The Unicode form of a host name in its ASCII form; where it has none, the name itself.
 *
 * @example unicodeHost('xn--bcher-kva.example') // 'bücher.example'
 */
export function unicodeHost(ascii: string): string {
  if (!ascii.includes('xn--')) return ascii
  try {
    return punycode.toUnicode(ascii)
  } catch {
    return ascii
  }
}

// The platform's own reading of a host (WHATWG URL, section 3.3) is UTS 46, non-transitional; its tables
// would be the largest part of what a browser loads.
function toAscii(name: string): string | null {
  const url = `http://${name}/`
  return /[\s\p{Cc}/?#:@\\%[\]]/u.test(name) || !URL.canParse(url) ? null : new URL(url).hostname
}

/**
 * Reads a keyword: lower case, composed (NFC), without blanks around it; `null` where nothing is left or
 * blanks are within.
 *
 * @example readKeyword('Game') // 'game'
 */
export function readKeyword(text: string): string | null {
  if (text.length > 253) return null
  const keyword = text.trim().toLowerCase().normalize('NFC')
  return keyword === '' || /\s/.test(keyword) ? null : keyword
}

/**
 * Whether the host name (ASCII form) contains the keyword in its ASCII or its Unicode form.
 *
 * @example hostContains('minigame.example', 'game') // true
 */
export function hostContains(ascii: string, keyword: string): boolean {
  return ascii.includes(keyword) || unicodeHost(ascii).normalize('NFC').includes(keyword)
}

/** The host name and every name above it: "a.b.example", "b.example", "example". */
export function* namesAbove(host: string): Generator<string> {
  for (let name = host; ;) {
    yield name
    const dot = name.indexOf('.')
    if (dot < 0) return
    name = name.slice(dot + 1)
  }
}
